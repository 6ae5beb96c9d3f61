import { useState, type PointerEvent } from "react";

type Curve = [number, number, number, number];

/** Slow at both ends. */
export const SLOW_BOTH: Curve = [0.42, 0, 0.58, 1];

const WIDE = 132;
const HIGH = 84;
const EDGE = 14;

/** A curve of time (across) and progress (up) whose two grips are dragged. */
export function CurveField({ curve, onPick }: { curve: Curve | number[]; onPick: (curve: Curve) => void }) {
  const [dragged, setDragged] = useState<Curve | null>(null);
  const [x1, y1, x2, y2] = dragged ?? (curve as Curve);
  const X = (x: number) => EDGE + x * (WIDE - 2 * EDGE);
  const Y = (y: number) => HIGH - EDGE - y * (HIGH - 2 * EDGE);
  const grab = (event: PointerEvent<SVGCircleElement>, which: 0 | 1) => {
    const target = event.currentTarget;
    const box = target.ownerSVGElement!.getBoundingClientRect();
    target.setPointerCapture(event.pointerId);
    let latest: Curve = [x1, y1, x2, y2];
    target.onpointermove = (move) => {
      const x = Math.min(Math.max((move.clientX - box.left - EDGE) / (WIDE - 2 * EDGE), 0), 1);
      const y = Math.min(Math.max((HIGH - EDGE - (move.clientY - box.top)) / (HIGH - 2 * EDGE), -0.15), 1.15);
      latest = which === 0 ? [x, y, latest[2], latest[3]] : [latest[0], latest[1], x, y];
      setDragged(latest);
    };
    target.onpointerup = () => {
      target.onpointermove = target.onpointerup = null;
      setDragged(null);
      onPick(latest.map((v) => Math.round(v * 1000) / 1000) as Curve);
    };
  };
  const grips = [
    [X(0), Y(0), X(x1), Y(y1)],
    [X(1), Y(1), X(x2), Y(y2)],
  ] as const;
  return (
    <svg
      width={WIDE}
      height={HIGH}
      className="mt-1 rounded-md bg-cloth-sunk text-ink"
      aria-label="Easing curve"
      data-testid="curve"
    >
      <rect
        x={EDGE}
        y={EDGE}
        width={WIDE - 2 * EDGE}
        height={HIGH - 2 * EDGE}
        className="fill-none stroke-line"
      />
      <path
        d={`M${X(0)} ${Y(0)}C${X(x1)} ${Y(y1)} ${X(x2)} ${Y(y2)} ${X(1)} ${Y(1)}`}
        fill="none"
        stroke="currentColor"
        strokeWidth={2}
      />
      {grips.map(([ax, ay, bx, by], i) => (
        <g key={i}>
          <line x1={ax} y1={ay} x2={bx} y2={by} className="stroke-ink-soft" />
          <circle
            cx={bx}
            cy={by}
            r={5}
            className="cursor-grab touch-none fill-teal"
            onPointerDown={(event) => grab(event, i as 0 | 1)}
          />
        </g>
      ))}
    </svg>
  );
}
