import { bench, select, setBench } from "../state/bench";
import { shapeOf } from "../state/lookups";
import { count, px, py } from "../shapes/shape";
import { toScreen, useView } from "../state/view";
import { Gesture, PointerAt } from "./gesture";
import { withinLoop } from "../shapes/selection";

/** A loop drawn over nothing with Alt selects the active outline's points in it. */
export function lassoSelect(start: PointerAt): Gesture {
  const kept = start.shift ? bench().points : new Set<number>();
  const loop: [number, number][] = [[start.x, start.y]];
  return {
    move: (at) => {
      loop.push([at.x, at.y]);
      setBench({ selectionBox: { loop: [...loop] } });
      const b = bench();
      const shape = b.active ? shapeOf(b, b.active, b.frame) : null;
      if (!shape) return;
      const points = new Set(kept);
      for (let i = 0; i < count(shape); i += 1) {
        if (withinLoop(loop, ...toScreen(useView.getState(), px(shape, i), py(shape, i)))) points.add(i);
      }
      setBench({ points });
    },
    end: () => setBench({ selectionBox: null }),
  };
}

/** A box drawn over nothing selects the active outline's points in it; a click on nothing deselects. */
export function boxSelect(start: PointerAt): Gesture {
  const b = bench();
  const kept = start.shift ? b.points : new Set<number>();
  return {
    move: (at) => {
      const v = useView.getState();
      const shape = b.active ? shapeOf(bench(), b.active, b.frame) : null;
      setBench({ selectionBox: { x0: start.x, y0: start.y, x1: at.x, y1: at.y } });
      if (!shape) return;
      const points = new Set(kept);
      for (let i = 0; i < count(shape); i += 1) {
        const [sx, sy] = toScreen(v, px(shape, i), py(shape, i));
        const across = (sx - start.x) * (sx - at.x) <= 0;
        if (across && (sy - start.y) * (sy - at.y) <= 0) points.add(i);
      }
      setBench({ points });
    },
    end: (_at, travelled) => {
      setBench({ selectionBox: null });
      if (!travelled) {
        if (bench().points.size > 0) setBench({ points: new Set() });
        else select(null);
      }
    },
  };
}
