import { toast } from "sonner";

import type { Carrier, Cover, Edit, PointKind } from "../api/client";
import {
  bench,
  coverOf,
  inDepth,
  isShown,
  lockOf,
  outlineOf,
  partsOf,
  placedOf,
  present,
  select,
  setBench,
  shapeOf,
} from "../state/bench";
import { carrierOf, isByHand } from "../state/carriers";
import { send } from "../commands/send";
import { beginFeature, beginJoint, beginPoint } from "./features";
import { beginFreehand, beginPane, beginPen, beginStarter } from "./draw";
import { beginPivot, frameBox, framedShape, gripAt, mapOf } from "./frame";
import {
  bent,
  count,
  inside,
  moved,
  nearestOnCurve,
  pointOf,
  px,
  py,
  STRIDE,
  withHandle,
  type OnCurve,
  type PointRow,
  type Shape,
} from "../shapes/shape";
import { beginRegion } from "./regions";
import { boxSelect, lassoSelect } from "./selecting";
import { pulled } from "../shapes/soft";
import { beginSample } from "./sampling";
import { beginTrace, hoverTrace, isFitting } from "../commands/trace";
import { toPlate, toScreen, useView } from "../state/view";

/** What the pointer is over, from the most precise thing to the least. */
export type Hit =
  | { kind: "handle"; element: string; index: number; side: "in" | "out" }
  | { kind: "point"; element: string; index: number }
  | { kind: "curve"; element: string; at: OnCurve }
  | { kind: "area"; element: string; owner: string }
  | { kind: "nothing" };

export interface PointerAt {
  x: number;
  y: number;
  shift: boolean;
  alt: boolean;
  ctrl: boolean;
}

/** A drag that has begun: called with each move and at the end. */
export interface Gesture {
  move: (at: PointerAt) => void;
  end: (at: PointerAt, travelled: boolean) => void;
}

const POINT_REACH = 9;
const CURVE_REACH = 6;

/** What lies under a position of the viewer. */
export function hitTest(x: number, y: number, handles = true): Hit {
  const b = bench();
  const v = useView.getState();
  const [plateX, plateY] = toPlate(v, x, y);
  const shape = b.active ? shapeOf(b, b.active, b.frame) : null;
  if (b.active && shape && visible(b.active)) {
    const near = (sx: number, sy: number, reach: number) => Math.hypot(sx - x, sy - y) <= reach;
    if (handles && outlineOf(b, b.active)) {
      for (const index of b.points) {
        if (index >= count(shape)) continue;
        const [qx, qy, ix, iy, ox, oy] = pointOf(shape, index);
        if ((ox || oy) && near(...toScreen(v, qx + ox, qy + oy), POINT_REACH - 1))
          return { kind: "handle", element: b.active, index, side: "out" };
        if ((ix || iy) && near(...toScreen(v, qx + ix, qy + iy), POINT_REACH - 1))
          return { kind: "handle", element: b.active, index, side: "in" };
      }
    }
    for (let index = 0; index < count(shape); index += 1) {
      if (near(...toScreen(v, px(shape, index), py(shape, index)), POINT_REACH))
        return { kind: "point", element: b.active, index };
    }
    const at = nearestOnCurve(shape, plateX, plateY, v.zoom * v.aspect, v.zoom);
    if (at.distance <= CURVE_REACH) return { kind: "curve", element: b.active, at };
    if (inside(shape, plateX, plateY)) return { kind: "area", element: b.active, owner: b.selected! };
  }
  for (const thing of inDepth(b)) {
    if (!isShown(b, thing)) continue;
    const parts = thing.kind !== "cover" || present(thing as Cover, b.frame) ? partsOf(thing) : [];
    for (const part of parts) {
      const other = shapeOf(b, part, b.frame);
      if (!other) continue;
      const near = nearestOnCurve(other, plateX, plateY, v.zoom * v.aspect, v.zoom).distance <= CURVE_REACH;
      if (near || inside(other, plateX, plateY)) return { kind: "area", element: part, owner: thing.id };
    }
  }
  return { kind: "nothing" };
}

function visible(active: string): boolean {
  const b = bench();
  const outline = outlineOf(b, active);
  const cover = outline ? coverOf(b, outline.cover) : null;
  return cover ? isShown(b, cover) && present(cover, b.frame) : placedOf(b, active)?.shown !== false;
}

function isLocked(element: string): boolean {
  const b = bench();
  const outline = outlineOf(b, element);
  const carrier = carrierOf(b, element);
  if (carrier?.locked) toast(`“${carrier.name}” is locked. Unlock it to change it.`);
  if (carrier) return carrier.locked === true;
  const lock = lockOf(b, outline ? coverOf(b, outline.cover) : placedOf(b, element));
  if (lock) toast(`“${lock}” is locked. Unlock it in the depth list to change it.`);
  return lock !== null;
}

/** The kind of a point; pane corners are corners. */
export function kindOf(element: string, index: number): PointKind {
  return outlineOf(bench(), element)?.kinds[index] ?? "corner";
}

/** Send the points that a drag has changed; the dragged shape stays until the server has answered. */
export function commitShape(
  element: string,
  before: Shape,
  after: Shape,
  kinds: Record<string, PointKind> = {},
) {
  const points: Record<string, PointRow> = {};
  for (let i = 0; i < count(after); i += 1) {
    const was = pointOf(before, i);
    const is = pointOf(after, i);
    if (is.some((value, k) => value !== was[k])) points[i] = is;
  }
  if (Object.keys(points).length === 0) {
    setBench({ drag: null });
    return;
  }
  const carrier = carrierOf(bench(), element);
  if (carrier) return setByHand(carrier, after);
  void send({ type: "shape-points", element, points, kinds, ...reached() } as Edit);
}

/** Where a carrier's base was dragged: a correction where the frame is solved, else a stitch of a bridge. */
function setByHand(carrier: Carrier, shape: Shape) {
  const { frame } = bench();
  const own = frame === carrier.at && !isByHand(carrier);
  const solved = own || (carrier.solved ?? []).some((s) => s.frame === frame && s.corners);
  const corners = [0, 1, 2, 3].map((i) => [px(shape, i), py(shape, i)]);
  const how = solved ? "correction" : "bridge";
  void send({ type: "set-by-hand", carrier: carrier.id, frame, how, corners } as Edit);
}

/** Change the shape that an element has just now, which may be one that the server has yet to answer for. */
export function reshape(element: string, change: (shape: Shape) => Shape) {
  const b = bench();
  const before = shapeOf(b, element, b.frame);
  if (!before) return;
  const after = change(before);
  setBench({ drag: { element, frame: b.frame, shape: after } });
  commitShape(element, before, after);
}

/** The frame of an edit, and how far it goes from there. */
export function reached() {
  const { frame, reach, range } = bench();
  return { frame, reach, ...(reach === "range" ? { within: range } : {}) };
}

/** Drag some shape: `change` makes the new shape from the pointer's travel in plate pixels. */
function shaping(
  element: string,
  start: PointerAt,
  change: (base: Shape, dx: number, dy: number, at: PointerAt) => Shape,
  kinds: Record<string, PointKind> = {},
  clicked: () => void = () => undefined,
): Gesture | null {
  const b = bench();
  const base = shapeOf(b, element, b.frame);
  if (!base || isLocked(element)) return null;
  const from = toPlate(useView.getState(), start.x, start.y);
  let latest = base;
  return {
    move: (at) => {
      const to = toPlate(useView.getState(), at.x, at.y);
      latest = change(base, to[0] - from[0], to[1] - from[1], at);
      setBench({ drag: { element, frame: b.frame, shape: latest } });
    },
    end: (_at, travelled) => {
      if (travelled) return commitShape(element, base, latest, kinds);
      setBench({ drag: null });
      clicked();
    },
  };
}

/** A press on the frame around what is chosen: the grips, outside a corner, or the turning point. */
function beginFrame(start: PointerAt): Gesture | null {
  const grip = gripAt(bench(), start.x, start.y);
  const box = grip && frameBox(bench());
  if (!grip || !box) return null;
  if (grip.kind === "pivot") return beginPivot();
  const from = toPlate(useView.getState(), start.x, start.y);
  return shaping(box.element, start, (_s, _dx, _dy, at) => framedShape(box, mapOf(box, grip, from, at)));
}

/** A pull with Ctrl on a point or on the curve: the soft edge of the chosen points there. */
function beginPull(start: PointerAt, hit: Hit): Gesture | null {
  if (hit.kind !== "point" && hit.kind !== "curve") return null;
  const { points } = bench();
  const n = outlineOf(bench(), hit.element)?.kinds.length;
  if (!n) return null;
  const at = hit.kind === "curve" ? hit.at : { segment: hit.index, t: 0 };
  const near = hit.kind === "curve" ? [at.segment, (at.segment + 1) % n] : [hit.index];
  const indices = near.some((i) => points.has(i)) ? [...points] : near;
  return shaping(
    hit.element,
    start,
    (s, dx, dy) => pulled(s, indices, at, dx, dy),
    {},
    () => setBench({ points: new Set(indices) }),
  );
}

function beginSelect(start: PointerAt): Gesture | null {
  // The hand is in the picture now: what it deletes there are no keys.
  if (bench().keys) setBench({ keys: null });
  const framing = beginFrame(start) ?? beginFeature(start) ?? beginRegion(start);
  if (framing) return framing;
  const hit = hitTest(start.x, start.y);
  const b = bench();
  if (start.ctrl) {
    const pull = beginPull(start, hit);
    if (pull) return pull;
  }
  if (hit.kind === "handle") {
    const kind = kindOf(hit.element, hit.index);
    const breaks = start.alt && kind === "smooth";
    const linked = kind === "smooth" && !breaks;
    const offset = hit.side === "in" ? 2 : 4;
    return shaping(
      hit.element,
      start,
      (s, dx, dy) =>
        withHandle(
          s,
          hit.index,
          hit.side,
          s[hit.index * STRIDE + offset]! + dx,
          s[hit.index * STRIDE + offset + 1]! + dy,
          linked,
        ),
      breaks ? { [hit.index]: "free" } : {},
    );
  }
  if (hit.kind === "point") {
    if (start.alt && outlineOf(b, hit.element)) {
      // Alt on a point draws new handles out of it.
      setBench({ points: new Set([hit.index]) });
      return shaping(
        hit.element,
        start,
        (s, dx, dy) =>
          withHandle(withHandle(s, hit.index, "in", -dx, -dy, false), hit.index, "out", dx, dy, false),
        { [hit.index]: "smooth" },
      );
    }
    const was = b.points.has(hit.index);
    const points = new Set(start.shift || was ? b.points : []);
    points.add(hit.index);
    setBench({ points });
    return shaping(
      hit.element,
      start,
      (s, dx, dy) => moved(s, points, dx, dy),
      {},
      () => {
        if (start.shift && was) points.delete(hit.index);
        setBench({ points: new Set(start.shift ? points : [hit.index]) });
      },
    );
  }
  if (hit.kind === "curve") {
    const pane = placedOf(b, hit.element) !== null;
    const n = pane ? 4 : outlineOf(b, hit.element)!.kinds.length;
    const ends = [hit.at.segment, (hit.at.segment + 1) % n];
    if (pane) return shaping(hit.element, start, (s, dx, dy) => moved(s, ends, dx, dy));
    const kinds = Object.fromEntries(
      ends.filter((i) => kindOf(hit.element, i) === "corner").map((i) => [i, "free" as PointKind]),
    );
    return shaping(
      hit.element,
      start,
      (s, dx, dy) => bent(s, hit.at, dx, dy, (i) => kindOf(hit.element, i) === "smooth"),
      kinds,
      () => setBench({ points: new Set(ends) }),
    );
  }
  if (hit.kind === "area") {
    const fresh = hit.element !== b.active;
    if (fresh) select(hit.owner, hit.element);
    return shaping(
      hit.element,
      start,
      (s, dx, dy) =>
        moved(
          s,
          Array.from({ length: count(s) }, (_, i) => i),
          dx,
          dy,
        ),
      {},
      () => setBench({ points: new Set() }),
    );
  }
  return start.alt ? lassoSelect(start) : boxSelect(start);
}

/** Begin what the chosen tool does on a press of the main button. */
export function begin(start: PointerAt): Gesture | null {
  const { tool } = bench();
  if (tool === "pen") return beginPen(start);
  if (tool === "pane" || tool === "byhand") return beginPane(start);
  if (tool === "points") return beginPoint(start);
  if (tool === "joint") return beginJoint(start);
  if (tool === "sample") return beginSample(start);
  if (tool === "freehand") return beginFreehand(start);
  if (tool === "trace") return bench().fitting || isFitting() ? null : beginTrace(start);
  if (tool !== "select") return beginStarter(tool, start);
  return beginSelect(start);
}

/** The pointer moves without a button: lines of a draft follow. */
export function hover(at: PointerAt, time: number) {
  const { draft, tool } = bench();
  if (tool === "trace") hoverTrace(at, time);
  else if (draft) setBench({ draft: { ...draft, pointer: toPlate(useView.getState(), at.x, at.y) } });
}

/** Double click with the select tool: a point on the curve, or a point's kind turned over. */
export function twice(x: number, y: number) {
  const b = bench();
  if (b.tool !== "select") return;
  // Its first click has put handles beside the curve, which are not what is meant.
  const hit = hitTest(x, y, false);
  if (hit.kind === "curve" && outlineOf(b, hit.element)) {
    const t = Math.min(Math.max(hit.at.t, 0.02), 0.98);
    void send({ type: "insert-point", outline: hit.element, segment: hit.at.segment, t }).then((change) => {
      if (change) setBench({ points: new Set([hit.at.segment + 1]) });
    });
  }
  if (hit.kind === "point" && outlineOf(b, hit.element)) {
    const kind = kindOf(hit.element, hit.index) === "corner" ? "smooth" : "corner";
    void send({ type: "set-point-kind", outline: hit.element, indices: [hit.index], kind });
  }
}
