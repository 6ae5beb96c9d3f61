import { bench, select, setBench, shapeOf } from "../state/bench";
import { count, px, py } from "../shapes/shape";
import type { Gesture, PointerAt } from "./tools";
import { toScreen, useView } from "../state/view";

/** A loop drawn over nothing with Alt selects the active outline's points in it. */
export function lassoSelect(start: PointerAt): Gesture {
  const kept = start.shift ? bench().points : new Set<number>();
  const loop: [number, number][] = [[start.x, start.y]];
  return {
    move: (at) => {
      loop.push([at.x, at.y]);
      selectionBox.set({ loop: [...loop] });
      const b = bench();
      const shape = b.active ? shapeOf(b, b.active, b.frame) : null;
      if (!shape) return;
      const points = new Set(kept);
      for (let i = 0; i < count(shape); i += 1) {
        if (withinLoop(loop, ...toScreen(useView.getState(), px(shape, i), py(shape, i)))) points.add(i);
      }
      setBench({ points });
    },
    end: () => selectionBox.set(null),
  };
}

/** Whether a place lies in a loop (even-odd). */
export function withinLoop(loop: [number, number][], x: number, y: number): boolean {
  let within = false;
  loop.forEach(([bx, by], i) => {
    const [ax, ay] = loop[(i || loop.length) - 1]!;
    if (ay > y !== by > y && x < ((bx - ax) * (y - ay)) / (by - ay) + ax) within = !within;
  });
  return within;
}

/** The selection with the next points along the curve at both ends, or without its last ones there. */
export function grownSelection(points: ReadonlySet<number>, n: number, way: 1 | -1): Set<number> {
  const has = (i: number) => points.has((i + n) % n);
  if (way > 0)
    return new Set(Array.from({ length: n }, (_, i) => i).filter((i) => has(i - 1) || has(i) || has(i + 1)));
  if (points.size === n) return new Set(points);
  return new Set([...points].filter((i) => has(i - 1) && has(i + 1)));
}

/** A box drawn over nothing selects the active outline's points in it; a click on nothing deselects. */
export function boxSelect(start: PointerAt): Gesture {
  const b = bench();
  const kept = start.shift ? b.points : new Set<number>();
  return {
    move: (at) => {
      const v = useView.getState();
      const shape = b.active ? shapeOf(bench(), b.active, b.frame) : null;
      selectionBox.set({ x0: start.x, y0: start.y, x1: at.x, y1: at.y });
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
      selectionBox.set(null);
      if (!travelled) {
        if (bench().points.size > 0) setBench({ points: new Set() });
        else select(null);
      }
    },
  };
}

/** The selection box, told to the drawing. */
type BoxSides = { x0: number; y0: number; x1: number; y1: number } | { loop: [number, number][] } | null;
let box: BoxSides = null;
const boxListeners = new Set<() => void>();
export const selectionBox = {
  set(next: BoxSides) {
    box = next;
    boxListeners.forEach((listener) => listener());
  },
  subscribe(listener: () => void) {
    boxListeners.add(listener);
    return () => void boxListeners.delete(listener);
  },
  get: () => box,
};
