import { count, px, py, type Shape } from "./shape";

type Place = (x: number, y: number) => [number, number];

/** The map that takes four corners of a base to four others: through the unit square (Heckbert 1989). Null: folded over. */
export function quadMap(base: readonly (readonly number[])[], to: Shape): Place | null {
  if (count(to) !== 4) return null;
  const from = squareTo(base.map(([x, y]) => [x!, y!]));
  const onto = squareTo(cornersOf(to));
  const back = from && inverse(from);
  if (!back || !onto) return null;
  return placeBy(times(onto, back));
}

const placeBy =
  (m: number[]): Place =>
  (x, y) => {
    const w = m[6]! * x + m[7]! * y + m[8]!;
    return [(m[0]! * x + m[1]! * y + m[2]!) / w, (m[3]! * x + m[4]! * y + m[5]!) / w];
  };

const cornersOf = (shape: Shape) => [0, 1, 2, 3].map((i) => [px(shape, i), py(shape, i)]);

/** From the unit square onto four corners; null: folded over. */
export function fromUnit(corners: Shape): Place | null {
  const onto = count(corners) === 4 ? squareTo(cornersOf(corners)) : null;
  return onto && placeBy(onto);
}

/** From four corners back into the unit square; null: folded over. */
export function toUnit(corners: Shape): Place | null {
  const onto = count(corners) === 4 ? squareTo(cornersOf(corners)) : null;
  const back = onto && inverse(onto);
  return back && placeBy(back);
}

function squareTo(c: number[][]): number[] | null {
  const [x0, x1, x2, x3] = c.map((p) => p[0]!) as [number, number, number, number];
  const [y0, y1, y2, y3] = c.map((p) => p[1]!) as [number, number, number, number];
  const [sx, sy] = [x0 - x1 + x2 - x3, y0 - y1 + y2 - y3];
  const [dx1, dx2, dy1, dy2] = [x1 - x2, x3 - x2, y1 - y2, y3 - y2];
  const det = dx1 * dy2 - dx2 * dy1;
  if (Math.abs(det) < 1e-9) return null;
  const g = (sx * dy2 - dx2 * sy) / det;
  const h = (dx1 * sy - sx * dy1) / det;
  return [
    x1! - x0! + g * x1!,
    x3! - x0! + h * x3!,
    x0!,
    y1! - y0! + g * y1!,
    y3! - y0! + h * y3!,
    y0!,
    g,
    h,
    1,
  ];
}

function inverse(m: number[]): number[] | null {
  const [a, b, c, d, e, f, g, h, i] = m as [
    number,
    number,
    number,
    number,
    number,
    number,
    number,
    number,
    number,
  ];
  const det = a * (e * i - f * h) - b * (d * i - f * g) + c * (d * h - e * g);
  if (Math.abs(det) < 1e-12) return null;
  return [
    e * i - f * h,
    c * h - b * i,
    b * f - c * e,
    f * g - d * i,
    a * i - c * g,
    c * d - a * f,
    d * h - e * g,
    b * g - a * h,
    a * e - b * d,
  ].map((v) => v / det);
}

function times(p: number[], q: number[]): number[] {
  return Array.from({ length: 9 }, (_, k) => {
    const [r, c] = [Math.floor(k / 3) * 3, k % 3];
    return p[r]! * q[c]! + p[r + 1]! * q[c + 3]! + p[r + 2]! * q[c + 6]!;
  });
}
