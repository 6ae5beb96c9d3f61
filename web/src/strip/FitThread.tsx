import type { Settled } from "../state/types";
import { edgeX, LANE, toX, type Scale } from "./scale";

/** Pixels of fault that are drawn as high as can be. */
const MOST = 8;
const LOW = LANE - 5;
const HIGH = 5;

/** How well an outline fits, frame by frame: a thread that lies low where it does and rises where it is off. */
export function FitThread({ b, scale, element }: { b: Settled; scale: Scale; element: string }) {
  const found = b.review?.outlines[element];
  if (!found) return null;
  const faulty = b.review?.faulty ?? MOST;
  const at = (i: number, fault: number) =>
    `${toX(scale, found.first + i).toFixed(1)} ${(LOW - ((LOW - HIGH) * Math.min(fault, MOST)) / MOST).toFixed(1)}`;
  let fine = "";
  let off = "";
  found.fault.forEach((fault, i) => {
    const before = found.fault[i - 1];
    if (fault == null || before == null) return;
    const piece = `M${at(i - 1, before)}L${at(i, fault)}`;
    if (Math.max(fault, before) > faulty) off += piece;
    else fine += piece;
  });
  const over = b.detail?.outline === element ? b.detail.matters : [];
  return (
    <svg
      className="pointer-events-none absolute inset-0 size-full overflow-visible"
      fill="none"
      strokeWidth={1.3}
      strokeLinecap="round"
      aria-hidden
      data-testid={`fit-${element}`}
    >
      {over.map(([from, to]) => (
        <rect
          key={from}
          data-testid="matters-run"
          x={edgeX(scale, from!)}
          width={edgeX(scale, to! + 1) - edgeX(scale, from!)}
          y={LANE - 5}
          height={2}
          className="fill-teal"
        />
      ))}
      {fine && <path d={fine} className="stroke-ink-soft/60" />}
      {off && <path d={off} className="stroke-marigold" />}
    </svg>
  );
}
