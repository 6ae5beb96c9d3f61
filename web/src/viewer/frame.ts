import { bench, outlineOf, placedOf, setBench, shapeOf, type Bench } from "../state/bench";
import { send } from "../commands/send";
import { boundsOf, mapped, middleOf, scaling, turning, about, type Affine, type Bounds } from "../shapes/affine";
import { count, type Shape } from "../shapes/shape";
import type { Gesture, PointerAt } from "./tools";
import { toPlate, toScreen, useView } from "../state/view";

/** Part of the frame around what is chosen: -1, 0, 1 across and down for its grips, or the place it turns about. */
export type Grip = { kind: "grip"; x: -1 | 0 | 1; y: -1 | 0 | 1 } | { kind: "pivot" } | { kind: "turn" };

const REACH = 9;
const TURN_REACH = 30;
const PADDING = 12;

/** Where the frame's turning point was put for the present selection, and for which one. */
let put: { key: string; place: [number, number] } | null = null;
/** Places of put pivots as the server tells them, by outline, frame and revision. */
const known = new Map<string, [number, number]>();

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
  const pivot = whole ? pivotOf(b, b.active, shape) : put?.key === keyOf(b) ? put.place : centre;
  return { element: b.active, shape, indices, whole, bounds, pivot };
}

const keyOf = (b: Bench) => `${b.active} ${[...b.points].sort().join(" ")}`;

/** Where an outline turns about on this frame; asks the server where a pivot was put. */
export function pivotOf(b: Bench, element: string, shape: Shape): [number, number] {
  const outline = outlineOf(b, element);
  if (!outline?.pivot) return middleOf(shape);
  const key = `${element} ${b.frame} ${b.shot!.revision}`;
  const found = known.get(key);
  if (found) return found;
  known.set(key, middleOf(shape));
  void fetch(`/api/shots/${b.shot!.id}/pivots/${element}/${b.frame}`)
    .then((answer) => answer.json() as Promise<{ x: number; y: number }>)
    .then(({ x, y }) => {
      if (known.size > 500) known.clear();
      known.set(key, [x, y]);
      setBench({ framed: bench().framed });
    })
    .catch(() => known.delete(key));
  return middleOf(shape);
}

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
  const key = box.whole ? `${box.element} ${b.frame} ${b.shot!.revision}` : "";
  return {
    move: (at) => {
      place = toPlate(useView.getState(), at.x, at.y);
      if (box.whole) known.set(key, place);
      else put = { key: keyOf(b), place };
      if (box.whole && !outlineOf(b, box.element)?.pivot) shownPivot.place = place;
      setBench({ framed: true });
    },
    end: (_at, travelled) => {
      shownPivot.place = null;
      if (travelled && box.whole)
        void send({ type: "set-outline", outline: box.element, pivot: place, frame: b.frame });
    },
  };
}

/** The turning point while it is dragged for the first time. */
export const shownPivot: { place: [number, number] | null } = { place: null };

/** The shape after a drag of the frame. */
export const framedShape = (box: FrameBox, map: Affine): Shape => mapped(box.shape, box.indices, map);
