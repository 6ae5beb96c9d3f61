import { along, count, STRIDE, type Shape } from "./shape";

/** Area inside, positive when the shape runs clockwise on screen; tells which way is outwards. */
export function signedArea(s: Shape): number {
  let area = 0;
  let [ax, ay] = along(s, count(s) - 1, 1);
  for (let i = 0; i < count(s); i += 1) {
    for (let k = 1; k <= 4; k += 1) {
      const [bx, by] = along(s, i, k / 4);
      area += ax * by - bx * ay;
      [ax, ay] = [bx, by];
    }
  }
  return area / 2;
}

/** Unit direction out of the shape at a place of segment i. */
export function outwardAt(s: Shape, i: number, t: number, clockwise: boolean): [number, number] {
  const step = 0.01;
  const [ax, ay] = along(s, i, Math.max(t - step, 0));
  const [bx, by] = along(s, i, Math.min(t + step, 1));
  const length = Math.hypot(bx - ax, by - ay) || 1;
  const way = clockwise ? 1 : -1;
  return [((by - ay) / length) * way, (-(bx - ax) / length) * way];
}

export const isSoft = (s: Shape) => {
  for (let i = 0; i < count(s); i += 1) if (s[i * STRIDE + 6]! > 0 || s[i * STRIDE + 7]! > 0) return true;
  return false;
};

/** The two lines between which the edge is soft, as the hand sees them (the matte itself comes from the server). */
export function companions(s: Shape): [number, number][][] {
  const clockwise = signedArea(s) > 0;
  const n = count(s);
  const lines: [number, number][][] = [[], []];
  for (let i = 0; i < n; i += 1) {
    const j = (i + 1) % n;
    for (let k = 0; k < 8; k += 1) {
      const t = k / 8;
      const u = t * t * (3 - 2 * t);
      const [x, y] = along(s, i, t);
      const [nx, ny] = outwardAt(s, i, t, clockwise);
      const inner = s[i * STRIDE + 6]! * (1 - u) + s[j * STRIDE + 6]! * u;
      const outer = s[i * STRIDE + 7]! * (1 - u) + s[j * STRIDE + 7]! * u;
      lines[0]!.push([x - nx * inner, y - ny * inner]);
      lines[1]!.push([x + nx * outer, y + ny * outer]);
    }
  }
  return lines;
}

/** The shape with the soft edge of some points set; what is undefined stays as it is. */
export function softened(s: Shape, indices: Iterable<number>, inner?: number, outer?: number): Shape {
  const out = Float64Array.from(s);
  for (const i of indices) {
    if (inner !== undefined) out[i * STRIDE + 6] = Math.min(Math.max(inner, 0), 500);
    if (outer !== undefined) out[i * STRIDE + 7] = Math.min(Math.max(outer, 0), 500);
  }
  return out;
}

/** A pull of the curve at a point by (dx, dy): outwards it widens the outer edge of the points, inwards the inner one. */
export function pulled(
  s: Shape,
  indices: number[],
  at: { segment: number; t: number },
  dx: number,
  dy: number,
): Shape {
  const [nx, ny] = outwardAt(s, at.segment, at.t, signedArea(s) > 0);
  const by = dx * nx + dy * ny;
  const out = Float64Array.from(s);
  for (const i of indices) {
    const place = i * STRIDE + (by >= 0 ? 7 : 6);
    out[place] = Math.min(Math.max(s[place]! + Math.abs(by), 0), 500);
  }
  return out;
}
