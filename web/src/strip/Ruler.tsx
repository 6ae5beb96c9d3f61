import { useReady } from "../state/ready";
import { goTo, setBench, useBench, useFrame } from "../state/bench";
import { edgeX, toFrame, toX, type Scale } from "./scale";
import { useDrag } from "@use-gesture/react";

/** Which frames of the look are rendered, over the numbers. */
function ReadyBar({ scale }: { scale: Scale }) {
  const runs = useReady((r) => r.runs);
  if (runs.length === 0) return null;
  const count = runs.reduce((sum, [from, to]) => sum + to - from + 1, 0);
  return (
    <div
      role="img"
      aria-label={`${count} of ${scale.count} frames are rendered`}
      title="Frames that are rendered, so that they play without waiting"
      data-testid="ready"
      data-runs={JSON.stringify(runs)}
      className="absolute inset-x-0 top-0 h-[3px]"
    >
      {runs.map(([from, to]) => (
        <span
          key={from}
          className="absolute inset-y-0 rounded-full bg-teal/55"
          style={{ left: edgeX(scale, from), width: edgeX(scale, to + 1) - edgeX(scale, from) }}
        />
      ))}
    </div>
  );
}

/** Numbers and ticks of the frames that are in sight, counted from the first; pressing and dragging scrubs. */
export function Ruler({ scale, seen }: { scale: Scale; seen: readonly [number, number] }) {
  const loop = useBench((b) => b.loop);
  const range = useBench((b) => (b.reach === "range" ? b.range : null));
  const here = useFrame();
  const step =
    [1, 2, 5, 10, 20, 50, 100, 200, 500, 1000, 2000, 5000].find(
      (n) => (scale.width / scale.count) * n > 52,
    ) ?? 10000;
  const minor = [1, 2, 5, 10, 50, 100, 500, 1000].find((n) => (scale.width / scale.count) * n > 6) ?? 5000;
  const scrub = useDrag<PointerEvent>(({ event, xy: [x], currentTarget }) => {
    const { left } = (currentTarget as HTMLElement).getBoundingClientRect();
    setBench({ playing: false });
    goTo(toFrame(scale, x - left), event.timeStamp);
  });
  const ticks = [];
  const [from, to] = seen;
  for (let offset = from; offset <= to; offset += 1) {
    const f = scale.first + offset;
    if (offset % step === 0) ticks.push({ f, tall: true });
    else if (offset % minor === 0) ticks.push({ f, tall: false });
  }
  return (
    <div className="relative h-6 cursor-ew-resize touch-none" data-testid="ruler" {...scrub()}>
      <ReadyBar scale={scale} />
      {loop && (
        <span
          className="absolute bottom-0 h-1 rounded-full bg-teal"
          style={{ left: edgeX(scale, loop[0]), width: edgeX(scale, loop[1] + 1) - edgeX(scale, loop[0]) }}
        />
      )}
      {range && (
        <svg className="absolute inset-0 size-full overflow-visible" aria-label="Reach">
          <polygon
            className="fill-teal/25"
            points={[
              [edgeX(scale, range.first - range.soft), 24],
              [edgeX(scale, range.first), 14],
              [edgeX(scale, range.last + 1), 14],
              [edgeX(scale, range.last + 1 + range.soft), 24],
            ]
              .map((p) => p.join(","))
              .join(" ")}
          />
        </svg>
      )}
      {ticks.map(({ f, tall }) => (
        <span
          key={f}
          className={`absolute bottom-0 w-px bg-ink-soft/70 ${tall ? "h-2.5" : "h-1"}`}
          style={{ left: toX(scale, f) }}
        >
          {tall && Math.abs(toX(scale, f) - toX(scale, here)) > 38 && (
            <span className="absolute bottom-2.5 -translate-x-1/2 text-[12px] leading-3 text-ink-soft">
              {f}
            </span>
          )}
        </span>
      ))}
    </div>
  );
}
