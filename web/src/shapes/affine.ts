import { count, px, py, STRIDE, type Shape } from "./shape";

/** x' = a x + c y + e, y' = b x + d y + f. */
export type Affine = [number, number, number, number, number, number];

/** A linear map about a place. */
export function about(x: number, y: number, a: number, b: number, c: number, d: number): Affine {
  return [a, b, c, d, x - a * x - c * y, y - b * x - d * y];
}

export const turning = (x: number, y: number, angle: number): Affine =>
  about(x, y, Math.cos(angle), Math.sin(angle), -Math.sin(angle), Math.cos(angle));

export const scaling = (x: number, y: number, sx: number, sy: number): Affine => about(x, y, sx, 0, 0, sy);

/** The shape with some points mapped; their handles go along, widths stay in plate pixels. */
export function mapped(s: Shape, indices: Iterable<number>, [a, b, c, d, e, f]: Affine): Shape {
  const out = Float64Array.from(s);
  for (const i of indices) {
    const at = i * STRIDE;
    for (const k of [0, 2, 4]) {
      const x = s[at + k]!;
      const y = s[at + k + 1]!;
      out[at + k] = a * x + c * y + (k === 0 ? e : 0);
      out[at + k + 1] = b * x + d * y + (k === 0 ? f : 0);
    }
  }
  return out;
}

export interface Bounds {
  left: number;
  top: number;
  right: number;
  bottom: number;
}

/** The box of some points. */
export function boundsOf(s: Shape, indices: Iterable<number>): Bounds {
  const box = { left: Infinity, top: Infinity, right: -Infinity, bottom: -Infinity };
  for (const i of indices) {
    box.left = Math.min(box.left, px(s, i));
    box.right = Math.max(box.right, px(s, i));
    box.top = Math.min(box.top, py(s, i));
    box.bottom = Math.max(box.bottom, py(s, i));
  }
  return box;
}

/** The mean of a shape's points: where it turns about unless a pivot was put. */
export function middleOf(s: Shape): [number, number] {
  let [x, y] = [0, 0];
  for (let i = 0; i < count(s); i += 1) {
    x += px(s, i) / count(s);
    y += py(s, i) / count(s);
  }
  return [x, y];
}
