import { bench, setBench } from "../state/bench";
import { outlineOf, placedOf, shapeOf } from "../state/lookups";
import { send } from "../commands/send";
import { boundsOf, mapped, scaling, turning, about, type Affine, type Bounds } from "../shapes/affine";
import { count, type Shape } from "../shapes/shape";
import { toPlate, toScreen, useView } from "../state/view";
import { Bench } from "../state/types";
import { pivotOf } from "../commands/pivots";
import { Gesture, PointerAt } from "./gesture";

/** Part of the frame around what is chosen: -1, 0, 1 across and down for its grips, or the place it turns about. */
export type Grip = { kind: "grip"; x: -1 | 0 | 1; y: -1 | 0 | 1 } | { kind: "pivot" } | { kind: "turn" };

const REACH = 9;
const TURN_REACH = 30;
const PADDING = 12;

export interface FrameBox {
  element: string;
  shape: Shape;
  indices: number[];
  whole: boolean;
  bounds: Bounds;
  pivot: [number, number];
}

/** The frame around the chosen points, or around the whole; null where there is none to be shown. */
export function frameBox(b: Bench): FrameBox | null {
  if (!b.framed || !b.active || b.tool !== "select") return null;
  const shape = shapeOf(b, b.active, b.frame);
  const outline = outlineOf(b, b.active);
  if (!shape || !(outline || placedOf(b, b.active))) return null;
  const whole = b.points.size < 2 || !outline;
  const indices = whole ? Array.from({ length: count(shape) }, (_, i) => i) : [...b.points];
  if (indices.some((i) => i >= count(shape))) return null;
  const bounds = boundsOf(shape, indices);
  const centre: [number, number] = [(bounds.left + bounds.right) / 2, (bounds.top + bounds.bottom) / 2];
  const pivot = whole
    ? pivotOf(b, b.frame, b.active, shape)
    : b.turningPoint?.of === keyOf(b)
      ? b.turningPoint.place
      : centre;
  return { element: b.active, shape, indices, whole, bounds, pivot };
}

const keyOf = (b: Bench) => `${b.active} ${[...b.points].sort().join(" ")}`;

/** The frame's corners on the screen, with some room around what is chosen. */
export function onScreen(box: FrameBox): Bounds {
  const v = useView.getState();
  const [left, top] = toScreen(v, box.bounds.left, box.bounds.top);
  const [right, bottom] = toScreen(v, box.bounds.right, box.bounds.bottom);
  return { left: left - PADDING, top: top - PADDING, right: right + PADDING, bottom: bottom + PADDING };
}

/** Which part of the frame is at a position of the viewer. */
export function gripAt(b: Bench, x: number, y: number): Grip | null {
  const box = frameBox(b);
  if (!box) return null;
  const [px, py] = toScreen(useView.getState(), ...box.pivot);
  if (Math.hypot(px - x, py - y) <= REACH) return { kind: "pivot" };
  const s = onScreen(box);
  for (const gx of [-1, 0, 1] as const) {
    for (const gy of [-1, 0, 1] as const) {
      if (gx === 0 && gy === 0) continue;
      const at = placeOf(s, gx, gy);
      if (Math.hypot(at[0] - x, at[1] - y) <= REACH) return { kind: "grip", x: gx, y: gy };
    }
  }
  const inside = x > s.left && x < s.right && y > s.top && y < s.bottom;
  const corners = [-1, 1].flatMap((gx) => [-1, 1].map((gy) => placeOf(s, gx, gy)));
  if (!inside && corners.some(([cx, cy]) => Math.hypot(cx - x, cy - y) <= TURN_REACH))
    return { kind: "turn" };
  return null;
}

export function placeOf(s: Bounds, gx: number, gy: number): [number, number] {
  const across = gx === 0 ? (s.left + s.right) / 2 : gx < 0 ? s.left : s.right;
  const down = gy === 0 ? (s.top + s.bottom) / 2 : gy < 0 ? s.top : s.bottom;
  return [across, down];
}

/** What a drag of a grip does to the plate, from where it began to where it is. */
export function mapOf(box: FrameBox, grip: Grip, from: [number, number], at: PointerAt): Affine {
  const to = toPlate(useView.getState(), at.x, at.y);
  const [px, py] = box.pivot;
  if (grip.kind === "turn") {
    let angle = Math.atan2(to[1] - py, to[0] - px) - Math.atan2(from[1] - py, from[0] - px);
    if (at.shift) angle = Math.round(angle / (Math.PI / 12)) * (Math.PI / 12);
    return turning(px, py, angle);
  }
  if (grip.kind === "pivot") return [1, 0, 0, 1, 0, 0];
  const { left, right, top, bottom } = box.bounds;
  // The grips stand a little off what they move: what counts is how far the pointer has gone.
  const side = [grip.x < 0 ? left : right, grip.y < 0 ? top : bottom] as const;
  const now = [side[0] + to[0] - from[0], side[1] + to[1] - from[1]] as const;
  // About the turning point with Alt, else about the side or corner across.
  const ax = at.alt ? px : grip.x < 0 ? right : left;
  const ay = at.alt ? py : grip.y < 0 ? bottom : top;
  if (at.ctrl && (grip.x === 0 || grip.y === 0)) {
    // A side slides along itself and takes the rest along: shear.
    return grip.x === 0
      ? about(ax, ay, 1, 0, (to[0] - from[0]) / (side[1] - ay || 1), 1)
      : about(ax, ay, 1, (to[1] - from[1]) / (side[0] - ax || 1), 0, 1);
  }
  let sx = grip.x === 0 ? 1 : ratio(now[0] - ax, side[0] - ax);
  let sy = grip.y === 0 ? 1 : ratio(now[1] - ay, side[1] - ay);
  if (at.shift) {
    const even = grip.x === 0 ? sy : grip.y === 0 ? sx : Math.abs(sx - 1) > Math.abs(sy - 1) ? sx : sy;
    [sx, sy] = [even, even];
  }
  return scaling(ax, ay, sx, sy);
}

const ratio = (now: number, before: number) => (Math.abs(before) < 1e-6 ? 1 : now / before);

/** A drag of the turning point: kept with the outline for the whole, else for this selection. */
export function beginPivot(): Gesture | null {
  const b = bench();
  const box = frameBox(b);
  if (!box) return null;
  let place = box.pivot;
  return {
    move: (at) => {
      place = toPlate(useView.getState(), at.x, at.y);
      setBench(box.whole ? { pivotDrag: place } : { turningPoint: { of: keyOf(b), place } });
    },
    end: (_at, travelled) => {
      if (!travelled || !box.whole) return setBench({ pivotDrag: null });
      const pivot = { type: "set-outline", outline: box.element, pivot: place, frame: b.frame } as const;
      void send(pivot).finally(() => setBench({ pivotDrag: null }));
    },
  };
}

/** The shape after a drag of the frame. */
export const framedShape = (box: FrameBox, map: Affine): Shape => mapped(box.shape, box.indices, map);
