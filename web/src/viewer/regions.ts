import type { Carrier, Edit } from "../api/client";
import { bench, setBench, shapeOf, type Bench } from "../state/bench";
import { carrierOf } from "../state/carriers";
import { send } from "../commands/send";
import { quadMap } from "../shapes/quad";
import { count, inside, moved, pointOf, px, py, shapeFrom, STRIDE, type Shape } from "../shapes/shape";
import type { Gesture, PointerAt } from "./tools";
import { toPlate, toScreen, useView } from "../state/view";

export type What = "patch" | "blind";
type Region = NonNullable<Carrier["patches"]>[number];

const REACH = 9;

export const regionsOf = (carrier: Carrier, what: What): Region[] =>
  (what === "patch" ? carrier.patches : carrier.blind) ?? [];

/** A region's points on a frame as they are stored: between two keys each goes straight and evenly. */
export function regionPoints(region: Region, frame: number): number[][] {
  const keys = region.keys ?? [];
  if (keys.length === 0) return region.points;
  const after = keys.findIndex((k) => k.frame >= frame);
  if (after <= 0) return keys[after === 0 ? 0 : keys.length - 1]!.points;
  const [a, b] = [keys[after - 1]!, keys[after]!];
  const t = (frame - a.frame) / (b.frame - a.frame);
  return a.points.map((row, i) => row.map((v, k) => v + ((b.points[i]![k] ?? 0) - v) * t));
}

/** A region as it is seen on this frame, with what is dragged of it; null where its motion folds over. */
export function regionSeen(b: Bench, carrier: Carrier, what: What, index: number): Shape | null {
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

/** A press on the region that is being shaped: one of its points, or the whole from inside. */
export function beginRegion(start: PointerAt): Gesture | null {
  const b = bench();
  const carrier = carrierOf(b, b.selected);
  const { shaping } = b;
  if (!carrier || !shaping || shaping.carrier !== carrier.id || carrier.locked) return null;
  const shape = regionSeen(b, carrier, shaping.what, shaping.index);
  if (!shape) return null;
  const v = useView.getState();
  const all = Array.from({ length: count(shape) }, (_, i) => i);
  const hit = all.find((i) => {
    const [x, y] = toScreen(v, px(shape, i), py(shape, i));
    return Math.hypot(x - start.x, y - start.y) <= REACH;
  });
  const from = toPlate(v, start.x, start.y);
  if (hit === undefined && !inside(shape, ...from)) return null;
  let latest = shape;
  return {
    move: (at) => {
      const to = toPlate(v, at.x, at.y);
      latest = moved(shape, hit === undefined ? all : [hit], to[0] - from[0], to[1] - from[1]);
      setBench({ regionDrag: { ...shaping, shape: latest } });
    },
    end: (_at, travelled) => {
      if (!travelled) return setBench({ regionDrag: null });
      const points = all.map((i) => pointOf(latest, i).slice(0, STRIDE - 2));
      void send({ type: "shape-region", ...shaping, frame: bench().frame, points } as Edit).finally(() =>
        setBench({ regionDrag: null }),
      );
    },
  };
}
