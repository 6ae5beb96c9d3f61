import type { PointKind } from "../api/client";
import { bench, select, setBench } from "../state/bench";
import { kindOf, outlineOf, placedOf, shapeOf } from "../state/lookups";
import { send } from "../commands/send";
import { beginFeature, beginJoint, beginPoint } from "./features";
import { beginFreehand, beginPane, beginPen, beginStarter } from "./draw";
import { beginPivot, frameBox, framedShape, gripAt, mapOf } from "./frame";
import { bent, count, moved, STRIDE, withHandle, type Shape } from "../shapes/shape";
import { beginRegion } from "./regions";
import { boxSelect, lassoSelect } from "./selecting";
import { pulled } from "../shapes/soft";
import { beginSample } from "./sampling";
import { toPlate, useView } from "../state/view";
import { Gesture, PointerAt } from "./gesture";
import { commitShape, isLocked } from "../commands/shaping";
import { Hit, hitTest } from "./hit";
import { fits, tracing } from "../commands/trace";
import { beginTrace } from "./tracing";

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
    const kind = kindOf(b, hit.element, hit.index);
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
      ends.filter((i) => kindOf(b, hit.element, i) === "corner").map((i) => [i, "free" as PointKind]),
    );
    return shaping(
      hit.element,
      start,
      (s, dx, dy) => bent(s, hit.at, dx, dy, (i) => kindOf(b, hit.element, i) === "smooth"),
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
  if (tool === "trace") return bench().fitting || fits.isUnderWay ? null : beginTrace(start);
  if (tool !== "select") return beginStarter(tool, start);
  return beginSelect(start);
}

/** The pointer moves without a button: lines of a draft follow. */
export function hover(at: PointerAt, time: number) {
  const { draft, tool } = bench();
  if (tool === "trace") tracing.hover(toPlate(useView.getState(), at.x, at.y), at.shift, time);
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
    const kind = kindOf(b, hit.element, hit.index) === "corner" ? "smooth" : "corner";
    void send({ type: "set-point-kind", outline: hit.element, indices: [hit.index], kind });
  }
}
