import type { Carrier, SolvedFrame } from "../api/client";
import type { Has } from "./types";

export function carrierOf(b: Has<"shot">, id: string | null): Carrier | null {
  const found = id === null ? undefined : b.shot?.elements[id];
  return found?.kind === "carrier" ? (found as Carrier) : null;
}

/** All carriers, by name. */
export function carriersOf(b: Has<"shot">): Carrier[] {
  const all = Object.values(b.shot?.elements ?? {}).filter((e) => e.kind === "carrier") as Carrier[];
  return all.sort((p, q) => p.name.localeCompare(q.name));
}

/** What is known of each frame of a carrier: what is kept, and over it what is just being solved. */
export function solvedOf(b: Has<"solving">, carrier: Carrier): Map<number, SolvedFrame> {
  const out = new Map(carrier.solved.map((s) => [s.frame, s]));
  for (const place of Object.values(b.solving[carrier.id] ?? {})) out.set(place.frame, place);
  return out;
}

/** Frames that need a look, the worst first: how badly, 0..1. Each source says how badly; of several the worst counts. */
export function doubts(
  b: Has<"shot" | "doubts" | "near" | "checks" | "review" | "proposal">,
): { frame: number; need: number; about: string }[] {
  const worst = new Map<number, { need: number; about: string }>();
  const fits = (b.review?.doubts ?? []).filter((d) => d.about in (b.shot?.elements ?? {}));
  const near = b.near && b.near.of.id in (b.shot?.elements ?? {}) ? b.near.doubts : [];
  const slips = b.checks && b.shot?.elements[b.checks.of.id] === b.checks.of ? b.checks.doubts : [];
  const known = [
    ...Object.values(b.doubts).flatMap((d) => d.doubts),
    ...near,
    ...slips,
    ...fits,
    ...proposedDoubts(b),
  ];
  for (const { frame, need, about } of known)
    if (need > (worst.get(frame)?.need ?? 0)) worst.set(frame, { need, about });
  return [...worst]
    .map(([frame, { need, about }]) => ({ frame, need, about }))
    .sort((p, q) => q.need - p.need || p.frame - q.frame);
}

/** Frames of what is proposed on which parts are in doubt. */
function proposedDoubts({ proposal }: Has<"proposal">) {
  return Object.entries(proposal?.needs ?? {})
    .map(([frame, need]) => ({ frame: Number(frame), need, about: proposal!.element }))
    .filter((d) => proposal!.kept.has(d.frame));
}

/** Whether a carrier is only set by hand, so that there is nothing to solve. */
export function isByHand(carrier: Carrier): boolean {
  return !carrier.patches.length && !carrier.points.length;
}

export type FollowedPoint = Carrier["points"][number];

/** Where a point is seen on a frame; null where it is lost or was never followed to. */
export function pointAt(point: FollowedPoint, frame: number): { x: number; y: number; sure: boolean } | null {
  if (frame === point.at) return { x: point.seen[0]!, y: point.seen[1]!, sure: true };
  const there = point.track.find((f) => f.frame === frame);
  if (!there || there.status === "lost") return null;
  return { x: there.x, y: there.y, sure: there.status === "solved" };
}
