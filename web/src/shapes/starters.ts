import type { PointKind } from "../api/client";

/** Outlines that one drag makes; what comes out is an outline like any other. */
export type Starter = "ellipse" | "box" | "finger";

export interface Started {
  points: number[][];
  kinds: PointKind[];
}

export interface StarterDrag {
  x0: number;
  y0: number;
  x1: number;
  y1: number;
  /** As wide as high, from Shift. */
  even: boolean;
  /** From the centre outwards, from Alt. */
  centred: boolean;
  /** A finger's width at the knuckle over its length. */
  slimness: number;
}

/** Handle length over radius for a quarter circle: radial error at most 0.027 % (common practice). */
const KAPPA = 0.5522847;
/** How much narrower a finger is at its tip than at its knuckle. */
const TAPER = 0.78;

/** The outline that a drag makes, or null while the drag is too short to mean one. */
export function started(kind: Starter, drag: StarterDrag): Started | null {
  if (Math.hypot(drag.x1 - drag.x0, drag.y1 - drag.y0) < 4) return null;
  return kind === "finger" ? finger(drag) : framed(kind, drag);
}

function framed(kind: "ellipse" | "box", drag: StarterDrag): Started {
  let dx = drag.x1 - drag.x0;
  let dy = drag.y1 - drag.y0;
  if (drag.even) {
    const side = Math.max(Math.abs(dx), Math.abs(dy));
    dx = side * (Math.sign(dx) || 1);
    dy = side * (Math.sign(dy) || 1);
  }
  const cx = drag.centred ? drag.x0 : drag.x0 + dx / 2;
  const cy = drag.centred ? drag.y0 : drag.y0 + dy / 2;
  const rx = Math.max(Math.abs(drag.centred ? dx : dx / 2), 1);
  const ry = Math.max(Math.abs(drag.centred ? dy : dy / 2), 1);
  if (kind === "box") {
    const corner = (sx: number, sy: number) => [cx + sx * rx, cy + sy * ry, 0, 0, 0, 0];
    return {
      points: [corner(-1, -1), corner(1, -1), corner(1, 1), corner(-1, 1)],
      kinds: ["corner", "corner", "corner", "corner"],
    };
  }
  const [kx, ky] = [KAPPA * rx, KAPPA * ry];
  return {
    points: [
      [cx, cy - ry, -kx, 0, kx, 0],
      [cx + rx, cy, 0, -ky, 0, ky],
      [cx, cy + ry, kx, 0, -kx, 0],
      [cx - rx, cy, 0, ky, 0, -ky],
    ],
    kinds: ["smooth", "smooth", "smooth", "smooth"],
  };
}

/**
 * A tapering finger from the knuckle (where the drag began) to the tip: two points at the knuckle, one on each side
 * at the last joint, two where the tip begins to round and one on the tip. The tip is a half circle.
 */
function finger({ x0, y0, x1, y1, slimness }: StarterDrag): Started {
  const length = Math.hypot(x1 - x0, y1 - y0);
  const [ux, uy] = [(x1 - x0) / length, (y1 - y0) / length];
  const base = (slimness * length) / 2;
  const tip = Math.min(base * TAPER, length / 2);
  const straight = length - tip;
  const side = (t: number) => base + (tip - base) * t;
  /** A point at `along` the axis and `across` it (left of the way to the tip is negative), handles alike. */
  const at = (along: number, across: number, handle: [number, number]) => {
    const place = (a: number, c: number) => [a * ux - c * uy, a * uy + c * ux] as const;
    const [px, py] = place(along, across);
    const [hx, hy] = place(...handle);
    return [x0 + px, y0 + py, -hx, -hy, hx, hy];
  };
  const third = straight / 5;
  const slope = (tip - base) / straight;
  const round = KAPPA * tip;
  const shorten = (point: number[], which: "in" | "out", length: number) => {
    const offset = which === "in" ? 2 : 4;
    const own = Math.hypot(point[offset]!, point[offset + 1]!) || 1;
    point[offset] = (point[offset]! / own) * length;
    point[offset + 1] = (point[offset + 1]! / own) * length;
    return point;
  };
  return {
    points: [
      at(0, -base, [third, -slope * third]),
      at(straight * 0.55, -side(0.55), [third, -slope * third]),
      shorten(at(straight, -tip, [third, 0]), "out", round),
      at(length, 0, [0, round]),
      shorten(at(straight, tip, [-third, 0]), "in", round),
      at(straight * 0.55, side(0.55), [-third, -slope * third]),
      at(0, base, [-third, -slope * third]),
    ].map((point, i) => {
      // The knuckle's end is a shallow arc, so that it lies under the hand without a corner.
      if (i === 0) return shorten(point, "in", base * 0.4);
      if (i === 6) return shorten(point, "out", base * 0.4);
      return point;
    }),
    kinds: Array<PointKind>(7).fill("smooth"),
  };
}
