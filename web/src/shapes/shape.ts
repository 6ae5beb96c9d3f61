import type { Geometry } from "../api/client";

/** Points of an outline or pane on one frame, STRIDE numbers each: x, y, incoming and outgoing handle (relative),
 * soft edge inwards and outwards. */
export type Shape = Float64Array;
export const STRIDE = 8;
export type PointRow = [number, number, number, number, number, number, number, number];

/** Rows of six numbers (hard edges) or eight as a shape. */
export function shapeFrom(rows: number[][]): Shape {
  const out = new Float64Array(rows.length * STRIDE);
  rows.forEach((row, i) => out.set(row, i * STRIDE));
  return out;
}

/** Evaluated geometry over the span of an element's keys. Rows come frame by frame; `ready` says which are there. */
export interface Track {
  first: number;
  frames: number;
  points: number;
  /** The carriers that it rides on, and whether all of it rides on one. */
  carriers: readonly string[];
  whole: boolean;
  data: Float32Array;
  ready: Uint8Array;
}

/** Geometry as the server sends it: with all of its rows, or with none yet. */
export function unpack(geometry: Geometry): Track {
  const { first, frames, points, carriers, whole } = geometry;
  const about = { first, frames, points, carriers, whole };
  if (geometry.data == null) return { ...about, data: new Float32Array(0), ready: new Uint8Array(frames) };
  const text = atob(geometry.data);
  const bytes = new Uint8Array(text.length);
  for (let i = 0; i < text.length; i += 1) bytes[i] = text.charCodeAt(i);
  return { ...about, data: new Float32Array(bytes.buffer), ready: new Uint8Array(frames).fill(1) };
}

/** Put rows into a track that has been waiting for them, beginning at a frame within it. */
export function fillRows(track: Track, from: number, rows: Float32Array) {
  const size = track.points * STRIDE;
  if (track.data.length === 0) track.data = new Float32Array(track.frames * size);
  const row = from - track.first;
  track.data.set(rows, row * size);
  track.ready.fill(1, row, row + rows.length / size);
}

/** The shape on a frame; before the first and after the last key the end keys hold. Null while it is not there yet. */
export function shapeAt(track: Track, frame: number): Shape | null {
  const row = Math.min(Math.max(frame - track.first, 0), track.frames - 1);
  if (!track.ready[row]) return null;
  const size = track.points * STRIDE;
  return Float64Array.from(track.data.subarray(row * size, (row + 1) * size));
}

export const px = (s: Shape, i: number) => s[i * STRIDE]!;
export const py = (s: Shape, i: number) => s[i * STRIDE + 1]!;
export const count = (s: Shape) => s.length / STRIDE;

/** A point's numbers with a hard edge where its widths are left out. */
export function rowOf(numbers: readonly number[]): PointRow {
  const at = (k: number) => numbers[k] ?? 0;
  return [at(0), at(1), at(2), at(3), at(4), at(5), at(6), at(7)];
}

/** One point's numbers. */
export function pointOf(s: Shape, i: number): PointRow {
  const at = i * STRIDE;
  return [s[at]!, s[at + 1]!, s[at + 2]!, s[at + 3]!, s[at + 4]!, s[at + 5]!, s[at + 6]!, s[at + 7]!];
}

type Place = (x: number, y: number) => [number, number];

/** A number with one decimal. With hundreds of outlines toFixed would take longer than all else of their paths. */
function tenths(x: number): string {
  const n = Math.round(x * 10);
  if (!(Math.abs(n) < 1e9)) return x.toFixed(1);
  const m = Math.abs(n);
  const whole = (m / 10) | 0;
  return `${n < 0 ? "-" : ""}${whole}.${m - whole * 10}`;
}

/** SVG path of a closed shape, through a placing function from plate pixels to the screen. */
export function pathOf(s: Shape, place: Place, closed = true): string {
  const n = count(s);
  if (n === 0) return "";
  const at = (x: number, y: number) => {
    const [sx, sy] = place(x, y);
    return `${tenths(sx)} ${tenths(sy)}`;
  };
  const parts = [`M${at(px(s, 0), py(s, 0))}`];
  for (let i = 0; i < (closed ? n : n - 1); i += 1) parts.push(bow(s, i, at));
  if (closed) parts.push("Z");
  return parts.join("");
}

/** Segment i by itself as an SVG path, through a transform of places. */
export function segmentPath(s: Shape, i: number, place: Place): string {
  if (i >= count(s)) return "";
  const at = (x: number, y: number) => {
    const [sx, sy] = place(x, y);
    return `${tenths(sx)} ${tenths(sy)}`;
  };
  return `M${at(px(s, i), py(s, i))}${bow(s, i, at)}`;
}

function bow(s: Shape, i: number, at: (x: number, y: number) => string): string {
  const a = i * STRIDE;
  const b = ((i + 1) % count(s)) * STRIDE;
  const [x, y] = [s[b]!, s[b + 1]!];
  return `C${at(s[a]! + s[a + 4]!, s[a + 1]! + s[a + 5]!)} ${at(x + s[b + 2]!, y + s[b + 3]!)} ${at(x, y)}`;
}

/** A place on segment i at t. */
export function along(s: Shape, i: number, t: number): [number, number] {
  const j = (i + 1) % count(s);
  const a = i * STRIDE;
  const b = j * STRIDE;
  const u = 1 - t;
  const w = [u * u * u, 3 * u * u * t, 3 * u * t * t, t * t * t] as const;
  const mix = (k: 0 | 1) =>
    w[0] * s[a + k]! +
    w[1] * (s[a + k]! + s[a + 4 + k]!) +
    w[2] * (s[b + k]! + s[b + 2 + k]!) +
    w[3] * s[b + k]!;
  return [mix(0), mix(1)];
}

export interface OnCurve {
  segment: number;
  t: number;
  distance: number;
}

/** The place on the curve nearest to a plate position; distances as the screen shows them. */
export function nearestOnCurve(s: Shape, x: number, y: number, scaleX: number, scaleY: number): OnCurve {
  let best: OnCurve = { segment: 0, t: 0.5, distance: Infinity };
  const distance = (segment: number, t: number) => {
    const [cx, cy] = along(s, segment, t);
    return Math.hypot((cx - x) * scaleX, (cy - y) * scaleY);
  };
  for (let segment = 0; segment < count(s); segment += 1) {
    for (let k = 0; k <= 16; k += 1) {
      const d = distance(segment, k / 16);
      if (d < best.distance) best = { segment, t: k / 16, distance: d };
    }
  }
  for (let step = 1 / 32; step > 1e-4; step /= 2) {
    for (const t of [best.t - step, best.t + step]) {
      if (t <= 0 || t >= 1) continue;
      const d = distance(best.segment, t);
      if (d < best.distance) best = { ...best, t, distance: d };
    }
  }
  return best;
}

/** Whether a plate position lies inside (even-odd on a polyline; only for picking with the pointer). */
export function inside(s: Shape, x: number, y: number): boolean {
  let within = false;
  let [ax, ay] = along(s, count(s) - 1, 1);
  for (let segment = 0; segment < count(s); segment += 1) {
    for (let k = 1; k <= 8; k += 1) {
      const [bx, by] = along(s, segment, k / 8);
      if (ay > y !== by > y && x < ((bx - ax) * (y - ay)) / (by - ay) + ax) within = !within;
      [ax, ay] = [bx, by];
    }
  }
  return within;
}

/** The shape with some points moved. */
export function moved(s: Shape, indices: Iterable<number>, dx: number, dy: number): Shape {
  const out = Float64Array.from(s);
  for (const i of indices) {
    out[i * STRIDE]! += dx;
    out[i * STRIDE + 1]! += dy;
  }
  return out;
}

/** Set one handle; on a smooth point the other one keeps in line with it and keeps its length. */
export function withHandle(
  s: Shape,
  i: number,
  side: "in" | "out",
  dx: number,
  dy: number,
  linked: boolean,
): Shape {
  const out = Float64Array.from(s);
  const own = i * STRIDE + (side === "in" ? 2 : 4);
  const other = i * STRIDE + (side === "in" ? 4 : 2);
  out[own] = dx;
  out[own + 1] = dy;
  const length = Math.hypot(dx, dy);
  if (linked && length > 1e-6) {
    const kept = Math.hypot(s[other]!, s[other + 1]!) || length;
    out[other] = (-dx / length) * kept;
    out[other + 1] = (-dy / length) * kept;
  }
  return out;
}

/** Bend a segment so that its place at t moves by (dx, dy): the smallest change of its two handles that does it. */
export function bent(s: Shape, at: OnCurve, dx: number, dy: number, smooth: (i: number) => boolean): Shape {
  const { segment: i, t } = at;
  const j = (i + 1) % count(s);
  const b1 = 3 * (1 - t) * (1 - t) * t;
  const b2 = 3 * (1 - t) * t * t;
  const norm = b1 * b1 + b2 * b2 || 1;
  const one = withHandle(
    s,
    i,
    "out",
    s[i * STRIDE + 4]! + (dx * b1) / norm,
    s[i * STRIDE + 5]! + (dy * b1) / norm,
    smooth(i),
  );
  return withHandle(
    one,
    j,
    "in",
    one[j * STRIDE + 2]! + (dx * b2) / norm,
    one[j * STRIDE + 3]! + (dy * b2) / norm,
    smooth(j),
  );
}
