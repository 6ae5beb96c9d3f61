import { useFrame } from "../state/bench";
import { type Checks } from "../state/checks";
import { toX, type Scale } from "./scale";

export const CHECK_LANE = 46;
const TOP = 5;
const LOW = CHECK_LANE - 4;

/** Slip and jitter of the chosen carrier as curves below the strip; the dotted line is what is worth a look. */
export function CheckLane({ scale, checks }: { scale: Scale; checks: Checks }) {
  const frame = useFrame();
  const known = [...checks.slip, ...checks.jitter].filter((v): v is number => v != null);
  const most = Math.max(
    Number.isFinite(checks.notable) ? checks.notable * 1.2 : 0.6,
    ...known.map((v) => Math.min(v, 4)),
  );
  const y = (value: number) => LOW - (Math.min(value, most) / most) * (LOW - TOP);
  const line = (values: (number | null | undefined)[]) => {
    let path = "";
    let drawing = false;
    values.forEach((value, i) => {
      if (value == null) drawing = false;
      else {
        path += `${drawing ? "L" : "M"}${toX(scale, checks.first + i).toFixed(1)} ${y(value).toFixed(1)}`;
        drawing = true;
      }
    });
    return path;
  };
  const here = frame - checks.first;
  return (
    <div className="relative" style={{ height: CHECK_LANE }} data-testid="checks">
      <span className="absolute inset-x-0 top-[3px] bottom-[2px] rounded-[4px] bg-cloth-sunk" />
      <svg
        className="pointer-events-none absolute inset-0 size-full overflow-visible"
        fill="none"
        aria-hidden
      >
        <line
          x1={0}
          x2={scale.width}
          y1={y(checks.notable)}
          y2={y(checks.notable)}
          className="stroke-marigold"
          strokeDasharray="1 5"
          strokeLinecap="round"
        />
        <path d={line(checks.jitter)} className="stroke-ink-soft" strokeWidth={1.2} strokeDasharray="4 2" />
        <path d={line(checks.slip)} className="stroke-teal" strokeWidth={1.8} strokeLinejoin="round" />
        {checks.slip[here] != null && (
          <circle cx={toX(scale, frame)} cy={y(checks.slip[here])} r={2.6} className="fill-teal" />
        )}
      </svg>
    </div>
  );
}
