import type { Carrier, SolvedFrame } from "../../api/client";
import type { Bench } from "./bench";

export function carrierOf(b: Bench, id: string | null): Carrier | null {
  const found = id === null ? undefined : b.shot?.elements[id];
  return found?.kind === "carrier" ? (found as Carrier) : null;
}

/** All carriers, by name. */
export function carriersOf(b: Bench): Carrier[] {
  const all = Object.values(b.shot?.elements ?? {}).filter((e) => e.kind === "carrier") as Carrier[];
  return all.sort((p, q) => p.name.localeCompare(q.name));
}

/** What is known of each frame of a carrier: what is kept, and over it what is just being solved. */
export function solvedOf(b: Bench, carrier: Carrier): Map<number, SolvedFrame> {
  const out = new Map((carrier.solved ?? []).map((s) => [s.frame, s]));
  for (const place of Object.values(b.solving[carrier.id] ?? {})) out.set(place.frame, place);
  return out;
}

/** Frames of all carriers that need a look, the worst first: how badly, 0..1; a run of lost frames counts by its first. */
export function doubts(b: Bench): { frame: number; need: number }[] {
  const worst = new Map<number, number>();
  for (const carrier of carriersOf(b)) {
    const solved = solvedOf(b, carrier);
    for (const s of solved.values()) {
      const within = s.status === "lost" && solved.get(s.frame - 1)?.status === "lost";
      if (s.status === "solved" || within) continue;
      const need = s.status === "lost" ? 1 : 1 - s.confidence;
      worst.set(s.frame, Math.max(need, worst.get(s.frame) ?? 0));
    }
  }
  return [...worst]
    .map(([frame, need]) => ({ frame, need }))
    .sort((p, q) => q.need - p.need || p.frame - q.frame);
}

/** Whether a carrier is only set by hand, so that there is nothing to solve. */
export function isByHand(carrier: Carrier): boolean {
  return !carrier.patches?.length && !carrier.points?.length;
}
