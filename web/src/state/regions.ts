import { Carrier } from "../api/client";
import { quadMap } from "../shapes/quad";
import { Shape, shapeFrom } from "../shapes/shape";
import { carrierOf } from "./carriers";
import { shapeOf } from "./lookups";
import { Has } from "./types";

export type What = "patch" | "blind";
type Region = NonNullable<Carrier["patches"]>[number];

export const regionsOf = (carrier: Carrier, what: What): Region[] =>
  what === "patch" ? carrier.patches : carrier.blind;

/** A region's points on a frame as they are stored: between two keys each goes straight and evenly. */
export function regionPoints(region: Region, frame: number): number[][] {
  const keys = region.keys;
  if (keys.length === 0) return region.points;
  const after = keys.findIndex((k) => k.frame >= frame);
  if (after <= 0) return keys[after === 0 ? 0 : keys.length - 1]!.points;
  const [a, b] = [keys[after - 1]!, keys[after]!];
  const t = (frame - a.frame) / (b.frame - a.frame);
  return a.points.map((row, i) => row.map((v, k) => v + ((b.points[i]![k] ?? 0) - v) * t));
}

/** A region as it is seen on this frame, with what is dragged of it; null where its motion folds over. */
export function regionSeen(
  b: Has<"shot" | "frame" | "regionDrag" | "drag" | "solving" | "tracks">,
  carrier: Carrier,
  what: What,
  index: number,
): Shape | null {
  const drag = b.regionDrag;
  if (drag && drag.carrier === carrier.id && drag.what === what && drag.index === index) return drag.shape;
  const region = regionsOf(carrier, what)[index];
  const other = region?.rides ? carrierOf(b, region.rides) : null;
  const rides = other ?? carrier;
  const quad = shapeOf(b, rides.id, b.frame);
  const map = region && quad && quadMap(rides.base, quad);
  if (!map) return null;
  return shapeFrom(
    regionPoints(region, b.frame).map(([x, y, ix, iy, ox, oy]) => {
      const [sx, sy] = map(x!, y!);
      const [ax, ay] = map(x! + ix!, y! + iy!);
      const [bx, by] = map(x! + ox!, y! + oy!);
      return [sx, sy, ax - sx, ay - sy, bx - sx, by - sy];
    }),
  );
}
