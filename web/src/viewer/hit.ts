import { bench } from "../state/bench";
import { count, inside, nearestOnCurve, OnCurve, pointOf, px, py } from "../shapes/shape";
import { toPlate, toScreen, useView } from "../state/view";
import { coverOf, inDepth, isShown, outlineOf, partsOf, placedOf, present, shapeOf } from "../state/lookups";
import { Cover } from "../api/client";

/** What the pointer is over, from the most precise thing to the least. */
export type Hit =
  | { kind: "handle"; element: string; index: number; side: "in" | "out" }
  | { kind: "point"; element: string; index: number }
  | { kind: "curve"; element: string; at: OnCurve }
  | { kind: "area"; element: string; owner: string }
  | { kind: "nothing" };

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
