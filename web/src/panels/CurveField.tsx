import { useDrag } from "@use-gesture/react";
import { BY_POINTER } from "../ui/pointer";
import { useState, type KeyboardEvent } from "react";

type Curve = [number, number, number, number];

/** Slow at both ends. */
export const SLOW_BOTH: Curve = [0.42, 0, 0.58, 1];

const WIDE = 132;
const HIGH = 84;
const EDGE = 14;
const ACROSS = WIDE - 2 * EDGE;
const UP = HIGH - 2 * EDGE;
/** How far progress may lie below 0 and above 1, so that the grips stay in sight. */
const [LOWEST, HIGHEST] = [-0.15, 1.15];
const STEPS: Record<string, [number, number]> = {
  ArrowLeft: [-0.05, 0],
  ArrowRight: [0.05, 0],
  ArrowUp: [0, 0.05],
  ArrowDown: [0, -0.05],
};

/** A curve of time (across) and progress (up) whose two grips are dragged. */
export function CurveField({ curve, onPick }: { curve: Curve | number[]; onPick: (curve: Curve) => void }) {
  const [dragged, setDragged] = useState<Curve | null>(null);
  const [x1, y1, x2, y2] = dragged ?? (curve as Curve);
  const X = (x: number) => EDGE + x * ACROSS;
  const Y = (y: number) => HIGH - EDGE - y * UP;
  const rounded = (to: Curve) => to.map((v) => Math.round(v * 1000) / 1000) as Curve;
  const put = (which: 0 | 1, x: number, y: number): Curve => {
    const at = [Math.min(Math.max(x, 0), 1), Math.min(Math.max(y, LOWEST), HIGHEST)] as const;
    return which === 0 ? [...at, x2, y2] : [x1, y1, ...at];
  };
  const drag = useDrag<PointerEvent>(({ last, xy: [x, y], args: [which], currentTarget }) => {
    const box = (currentTarget as SVGElement).ownerSVGElement!.getBoundingClientRect();
    const next = put(which as 0 | 1, (x - box.left - EDGE) / ACROSS, (HIGH - EDGE - (y - box.top)) / UP);
    setDragged(last ? null : next);
    if (last) onPick(rounded(next));
  }, BY_POINTER);
  const nudge = (event: KeyboardEvent, which: 0 | 1) => {
    const step = STEPS[event.key];
    if (!step) return;
    event.preventDefault();
    event.stopPropagation();
    const [x, y] = which === 0 ? [x1, y1] : [x2, y2];
    onPick(rounded(put(which, x + step[0], y + step[1])));
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
            role="slider"
            tabIndex={0}
            aria-label={i === 0 ? "Grip at the beginning" : "Grip at the end"}
            aria-valuenow={Math.round(100 * (i === 0 ? y1 : y2))}
            aria-valuetext={`time ${(i === 0 ? x1 : x2).toFixed(2)}, progress ${(i === 0 ? y1 : y2).toFixed(2)}`}
            onKeyDown={(event) => nudge(event, i as 0 | 1)}
            {...drag(i)}
          />
        </g>
      ))}
    </svg>
  );
}
