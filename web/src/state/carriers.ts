import type { Carrier, SolvedFrame } from "../api/client";
import type { Bench } from "./bench";
import { NOTABLE } from "./checks";

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
  const near = b.near && b.near.of.id in (b.shot?.elements ?? {}) ? b.near.found : [];
  for (const { frame, what } of near)
    worst.set(frame, Math.max(what === "cuts" ? 0.8 : 0.4, worst.get(frame) ?? 0));
  for (const [frame, off] of slipping(b))
    worst.set(frame, Math.max(Math.min(off / 4, 0.9), worst.get(frame) ?? 0));
  return [...worst]
    .map(([frame, need]) => ({ frame, need }))
    .sort((p, q) => q.need - p.need || p.frame - q.frame);
}

/** Whether a carrier is only set by hand, so that there is nothing to solve. */
export function isByHand(carrier: Carrier): boolean {
  return !carrier.patches?.length && !carrier.points?.length;
}

/** Frames on which the measured carrier slips notably, and more than around them. */
function slipping(b: Bench): [number, number][] {
  const { checks } = b;
  if (!checks || b.shot?.elements[checks.of.id] !== checks.of) return [];
  return checks.slip.flatMap((off, i): [number, number][] => {
    const around = checks.slip.slice(Math.max(i - 3, 0), i + 4);
    const stands = off != null && off > NOTABLE && around.every((other) => (other ?? 0) <= off);
    return stands ? [[checks.first + i, off]] : [];
  });
}
