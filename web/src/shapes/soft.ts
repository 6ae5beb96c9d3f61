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

/** How much nearer to another part of the curve than that part's own width an end of the edge may be, before it is none. */
const WITHIN = 0.4;
/** At a point that turns by more than this, ends of its edge lie on an arc about it, this far from each other. */
const ARC = 0.3;

/** Places along the curve, with the width of the edge there, and where it ends. */
interface EdgeEnds {
  x: number[];
  y: number[];
  width: number[];
  place: [number, number][];
}

/**
 * The two lines between which the edge is soft, as they look in the matte (which itself comes from the server): round about
 * corners, and without what lies within another part's edge. Each is in as many runs of places as that leaves.
 */
export function edgeRuns(s: Shape): [number, number][][] {
  const clockwise = signedArea(s) > 0;
  return ([-1, 1] as const).flatMap((side) => outside(endsOf(s, side, clockwise)));
}

/** Places along the curve with their widths to one side (-1 in, 1 out). */
function endsOf(s: Shape, side: -1 | 1, clockwise: boolean): EdgeEnds {
  const n = count(s);
  const ends: EdgeEnds = { x: [], y: [], width: [], place: [] };
  const add = (x: number, y: number, nx: number, ny: number, width: number) => {
    ends.x.push(x);
    ends.y.push(y);
    ends.width.push(width);
    ends.place.push([x + side * nx * width, y + side * ny * width]);
  };
  const at = STRIDE - (side < 0 ? 2 : 1);
  for (let i = 0; i < n; i += 1) {
    const j = (i + 1) % n;
    const [here, next] = [s[i * STRIDE + at]!, s[j * STRIDE + at]!];
    const [ax, ay] = outwardAt(s, (i + n - 1) % n, 1, clockwise);
    const [bx, by] = outwardAt(s, i, 0, clockwise);
    const turn = Math.atan2(ax * by - ay * bx, ax * bx + ay * by);
    const steps = Math.floor(Math.abs(turn) / ARC);
    const [x0, y0] = along(s, i, 0);
    for (let k = 0; k < steps; k += 1) {
      const angle = Math.atan2(ay, ax) + (turn * k) / steps;
      add(x0, y0, Math.cos(angle), Math.sin(angle), here);
    }
    for (let k = 0; k < 8; k += 1) {
      const t = k / 8;
      const u = t * t * (3 - 2 * t);
      const [x, y] = along(s, i, t);
      const [nx, ny] = outwardAt(s, i, t, clockwise);
      add(x, y, nx, ny, here * (1 - u) + next * u);
    }
  }
  return ends;
}

/** Says of a place whether it lies within no part's edge. In plain loops: it is asked of hundreds of places a drag's move. */
function freeOf({ x, y, width }: EdgeEnds): (place: [number, number]) => boolean {
  const n = x.length;
  const [xs, ys, ws] = [x, y, width].map((values) => Float64Array.from([...values, values[0]!]));
  const long = new Float64Array(n);
  const reach = new Float64Array(n);
  for (let i = 0; i < n; i += 1) {
    const [dx, dy] = [xs![i + 1]! - xs![i]!, ys![i + 1]! - ys![i]!];
    long[i] = dx * dx + dy * dy;
    reach[i] = (Math.sqrt(long[i]!) + Math.max(ws![i]!, ws![i + 1]!)) ** 2;
  }
  return ([px, py]) => {
    for (let i = 0; i < n; i += 1) {
      const ox = px - xs![i]!;
      const oy = py - ys![i]!;
      if (ox * ox + oy * oy > reach[i]!) continue;
      const dx = xs![i + 1]! - xs![i]!;
      const dy = ys![i + 1]! - ys![i]!;
      const t = long[i]! > 0 ? Math.min(Math.max((ox * dx + oy * dy) / long[i]!, 0), 1) : 0;
      const least = (ws![i]! + (ws![i + 1]! - ws![i]!) * t) * 0.98 - WITHIN;
      if (least > 0 && (ox - t * dx) ** 2 + (oy - t * dy) ** 2 < least * least) return false;
    }
    return true;
  };
}

/** Runs of ends that lie within no other part's edge; a closed one ends where it begins. */
function outside(ends: EdgeEnds): [number, number][][] {
  const { place } = ends;
  const n = place.length;
  const free = freeOf(ends);
  const kept = place.map(free);
  const gap = kept.indexOf(false);
  if (gap < 0) return [[...place, place[0]!]];
  /** Where on the way from a free place to one that is not the edge of the other part begins. */
  const border = (from: [number, number], to: [number, number]) => {
    for (let k = 0; k < 5; k += 1) {
      const middle: [number, number] = [(from[0] + to[0]) / 2, (from[1] + to[1]) / 2];
      if (free(middle)) from = middle;
      else to = middle;
    }
    return from;
  };
  const runs: [number, number][][] = [];
  let run: [number, number][] = [];
  for (let k = 1; k <= n; k += 1) {
    const [last, i] = [(gap + k - 1) % n, (gap + k) % n];
    const [before, here] = [place[last]!, place[i]!];
    if (kept[i]) {
      if (run.length === 0) run.push(border(here, before));
      run.push(here);
    } else if (run.length > 0) {
      runs.push([...run, border(before, here)]);
      run = [];
    }
  }
  return runs;
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
