import type { Carrier } from "../api/client";
import { goTo, select, setBench } from "../state/bench";
import { solvedOf } from "../state/carriers";
import { Settled } from "../state/types";
import { LANE, toFrame, toX, type Scale } from "./scale";

const LOW = LANE - 4;
const HIGH = 4;

/** A carrier's thread: as high as its confidence, dashed where it was set by hand, none where nothing is known. */
export function ThreadLane({ b, scale, carrier }: { b: Settled; scale: Scale; carrier: Carrier }) {
  const solved = solvedOf(b, carrier);
  const known = [...solved.values()].filter((s) => s.corners).sort((p, q) => p.frame - q.frame);
  const at = (frame: number, confidence: number) =>
    `${toX(scale, frame).toFixed(1)},${(LOW - (LOW - HIGH) * confidence).toFixed(1)}`;
  const runs: string[][] = [];
  let before = -10;
  for (const s of known) {
    if (s.frame !== before + 1) runs.push([]);
    runs.at(-1)!.push(at(s.frame, s.confidence));
    before = s.frame;
  }
  const stitches = [...carrier.bridge.map((k) => k.frame), carrier.at];
  const middle = LANE / 2;
  return (
    <div
      className={`relative touch-none ${carrier.id === b.selected ? "bg-teal-soft/60" : ""}`}
      style={{ height: LANE }}
      data-testid={`thread-${carrier.name}`}
      data-solved={known.filter((s) => s.status === "solved").length}
      onPointerDown={(event) => {
        select(carrier.id);
        setBench({ playing: false });
        goTo(toFrame(scale, event.clientX - event.currentTarget.getBoundingClientRect().left));
      }}
    >
      <span className="absolute inset-x-0 top-[3px] bottom-[3px] rounded-[4px] bg-cloth-sunk" />
      <svg className="pointer-events-none absolute inset-0 size-full overflow-visible" aria-hidden>
        {carrier.bridge.length > 0 && (
          <line
            x1={toX(scale, Math.min(...stitches, known[0]?.frame ?? carrier.at))}
            x2={toX(scale, Math.max(...stitches, known.at(-1)?.frame ?? carrier.at))}
            y1={middle}
            y2={middle}
            className="stroke-ink-soft"
            strokeWidth={1.4}
            strokeDasharray="4 3"
          />
        )}
        {runs.map((run, i) => (
          <polyline
            key={i}
            points={run.join(" ")}
            fill="none"
            stroke={carrier.colour}
            strokeWidth={1.8}
            strokeLinejoin="round"
            strokeLinecap="round"
          />
        ))}
        {known
          .filter((s) => s.status === "unsure")
          .map((s) => (
            <circle
              key={s.frame}
              cx={toX(scale, s.frame)}
              cy={LOW - (LOW - HIGH) * s.confidence}
              r={2.4}
              className="fill-marigold"
            />
          ))}
        {carrier.corrections.map((k) => (
          <circle
            key={k.frame}
            cx={toX(scale, k.frame)}
            cy={middle}
            r={4}
            fill="none"
            className="stroke-ink"
            strokeWidth={1.6}
          />
        ))}
      </svg>
      {stitches.map((frame) => (
        <span
          key={frame}
          title={frame === carrier.at ? `Reference, frame ${frame}` : `Set by hand, frame ${frame}`}
          className={`absolute top-1/2 h-[13px] w-[5px] -translate-x-1/2 -translate-y-1/2 rounded-full ${frame === carrier.at ? "border-[1.5px] border-ink bg-cloth" : "bg-ink"}`}
          style={{ left: toX(scale, frame) }}
        />
      ))}
    </div>
  );
}
