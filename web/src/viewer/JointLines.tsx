import { outlineOf, shapeOf } from "../state/lookups";
import { count, along, type Shape } from "../shapes/shape";
import { toScreen, type View } from "../state/view";
import { Bench } from "../state/types";

const DARK = "#101516";

/** Across the active outline, where it goes over from one carrier to the next. */
export function JointLines({ b, v }: { b: Bench; v: View }) {
  const outline = outlineOf(b, b.active);
  const shape = outline?.joints.length ? shapeOf(b, outline.id, b.frame) : null;
  if (!outline || !shape) return null;
  return (
    <g data-testid="joints" strokeLinecap="round">
      {outline.joints.map((joint, i) => {
        const ends = crossings(shape, joint.beyond).map(([x, y]) => toScreen(v, x, y));
        if (ends.length < 2) return null;
        const [[x1, y1], [x2, y2]] = ends as [[number, number], [number, number]];
        const at = { x1, y1, x2, y2 };
        return (
          <g key={i}>
            <line {...at} stroke={DARK} strokeOpacity={0.75} strokeWidth={4} />
            <line {...at} stroke="#efb94c" strokeWidth={1.8} strokeDasharray="1 5" />
            {ends.map(([x, y], k) => (
              <circle key={k} cx={x} cy={y} r={3.5} fill="#efb94c" stroke={DARK} />
            ))}
          </g>
        );
      })}
    </g>
  );
}

/** Where an outline passes from less to more than half beyond a joint, and back: places on its curve. */
export function crossings(shape: Shape, beyond: number[]): [number, number][] {
  const n = count(shape);
  const out: [number, number][] = [];
  for (let i = 0; i < n; i += 1) {
    const [here, next] = [beyond[i]! - 0.5, beyond[(i + 1) % n]! - 0.5];
    if (here === 0 ? true : here * next < 0) out.push(along(shape, i, here / (here - next || 1)));
  }
  return out;
}
