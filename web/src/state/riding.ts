import type { Has } from "./types";
import { quadMap } from "../shapes/quad";
import { count, pointOf, shapeAt, shapeFrom, type Shape } from "../shapes/shape";

/** What is being solved just now and carries an element whole; null where nothing does. */
export function solvingUnder(b: Has<"tracks" | "solving">, id: string): string | null {
  const { carriers, whole } = b.tracks[id] ?? { carriers: [], whole: false };
  const carrier = carriers[0];
  return whole && carrier !== undefined && b.solving[carrier] ? carrier : null;
}

/** A shape as it goes along with a carrier that is being solved, frame by frame, before the server has said so. */
export function ridden(
  b: Has<"tracks" | "solving">,
  id: string,
  frame: number,
  shape: Shape | null,
): Shape | null {
  const carrier = solvingUnder(b, id);
  const fresh = carrier && b.solving[carrier]?.[frame]?.corners;
  const track = carrier && b.tracks[carrier];
  const before = track && shapeAt(track, frame);
  if (!shape || !fresh || !before) return shape;
  const old = [0, 1, 2, 3].map((i) => pointOf(before, i).slice(0, 2));
  const map = quadMap(old, shapeFrom(fresh.map(([x, y]) => [x, y, 0, 0, 0, 0])));
  if (!map) return shape;
  return shapeFrom(
    Array.from({ length: count(shape) }, (_, i) => {
      const [x, y, ix, iy, ox, oy, inner, outer] = pointOf(shape, i);
      const [sx, sy] = map(x, y);
      const [ax, ay] = map(x + ix, y + iy);
      const [bx, by] = map(x + ox, y + oy);
      return [sx, sy, ax - sx, ay - sy, bx - sx, by - sy, inner, outer];
    }),
  );
}
