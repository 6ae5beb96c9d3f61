import { bench, setBench } from "../state/bench";
import { carrierOf } from "../state/carriers";
import { send } from "../commands/send";
import { count, inside, moved, pointOf, px, py } from "../shapes/shape";
import { toPlate, toScreen, useView } from "../state/view";
import { Gesture, PointerAt } from "./gesture";
import { regionSeen } from "../state/regions";

const REACH = 9;

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
      const points = all.map((i) => pointOf(latest, i));
      void send({ type: "shape-region", ...shaping, frame: bench().frame, points }).finally(() =>
        setBench({ regionDrag: null }),
      );
    },
  };
}
