import { bench } from "../state/bench";
import { coverOf, lockOf, outlineOf, placedOf, shapeOf } from "../state/lookups";
import { carrierOf } from "../state/carriers";
import { toast } from "sonner";
import { count, pointOf, PointRow, px, py, Shape } from "../shapes/shape";
import { Corners, PointKind } from "../api/client";
import { setBench } from "../state/bench";
import { send } from "./send";

/** Whether an element cannot be changed just now, which is said. */
export function isLocked(element: string): boolean {
  const b = bench();
  const outline = outlineOf(b, element);
  const carrier = carrierOf(b, element);
  if (carrier?.locked) toast(`“${carrier.name}” is locked. Unlock it to change it.`);
  if (carrier) return carrier.locked === true;
  const lock = lockOf(b, outline ? coverOf(b, outline.cover) : placedOf(b, element));
  if (lock) toast(`“${lock}” is locked. Unlock it in the depth list to change it.`);
  return lock !== null;
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
  if (carrierOf(bench(), element)) {
    const [a, b, c, d] = [0, 1, 2, 3].map((i): [number, number] => [px(after, i), py(after, i)]);
    const corners: Corners = [a!, b!, c!, d!];
    return void send({ type: "set-by-hand", carrier: element, frame: bench().frame, corners });
  }
  void send({ type: "shape-points", element, points, kinds, ...reached() });
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
