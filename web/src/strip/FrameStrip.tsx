import { Pause, Play, Repeat } from "lucide-react";
import { useEffect, useRef, useState, type PointerEvent } from "react";
import type { Cover } from "../api/client";
import { Button, Choice, IconButton } from "../ui/Button";
import { lastFrame, rateText, timeText } from "../state/plate";
import { NumberField } from "../ui/NumberField";
import {
  bench,
  goTo,
  groupOf,
  inDepth,
  outlineOf,
  partsOf,
  placedOf,
  select,
  setBench,
  type Bench,
  type Range,
  type Reach,
  useSettled,
} from "../state/bench";
import { carrierOf, carriersOf, doubts } from "../state/carriers";
import { CheckLane } from "./CheckLane";
import { checksOf } from "../state/checks";
import { ThreadLane } from "./ThreadLane";
import { edgeX, Lane, LANE, toFrame, toX, type LaneOf, type Scale } from "./Lane";

const LABEL = 150;
const RULER = 24;
/** Lanes that fit into the strip. */
const SEEN = 8;

/** How far an edit on this frame goes. */
export const REACHES: { value: Reach; label: string; title: string }[] = [
  { value: "frame", label: "This frame", title: "An edit touches this frame only  (R changes it)" },
  { value: "all", label: "All keys", title: "An edit moves all keys likewise  (R changes it)" },
  {
    value: "onward",
    label: "From here on",
    title: "An edit moves this and all later keys likewise  (R changes it)",
  },
  { value: "range", label: "Range", title: "An edit dies away beyond a range of frames  (R changes it)" },
];

/** Play, loop, scrub, and a lane with stitches for each cover and pane. */
export function FrameStrip() {
  const b = useSettled();
  const track = useRef<HTMLDivElement>(null);
  const [width, setWidth] = useState(800);
  const [from, setFrom] = useState(0);
  useEffect(() => {
    const observer = new ResizeObserver(([entry]) => setWidth(entry!.contentRect.width));
    observer.observe(track.current!);
    return () => observer.disconnect();
  }, []);
  const { plate } = b.shot!;
  const scale: Scale = { first: plate.first ?? 1001, count: plate.count, width };
  const things = inDepth(b);
  const unfolded = things.filter(
    (t) => t.kind !== "cover" || !groupOf(b, t as Cover)?.folded || t.id === b.selected,
  );
  const threads = carriersOf(b).map((carrier) => ({ carrier, element: carrier.id, name: carrier.name }));
  const drawn = unfolded.flatMap((thing): LaneOf[] =>
    partsOf(thing).map((id, i, all) => ({
      thing,
      element: id,
      name: all.length > 1 ? `${thing.name}, ${i + 1}` : thing.name,
    })),
  );
  const lanes: (LaneOf | (typeof threads)[number])[] = [...drawn, ...threads];
  // Only lanes that can be seen are drawn: with hundreds of outlines the rest would cost more than all else.
  const above = Math.max(Math.min(from, lanes.length - SEEN) - 2, 0);
  const seen = lanes.slice(above, above + SEEN + 4);
  const checks = checksOf(b, carrierOf(b, b.selected));
  return (
    <section className="border-t border-line" aria-label="Frame strip">
      <Transport b={b} />
      <div
        className="flex max-h-44 min-h-[92px] overflow-y-auto pb-2 select-none"
        onScroll={(event) => setFrom(Math.floor(event.currentTarget.scrollTop / LANE))}
      >
        <div
          className="shrink-0 pt-6"
          style={{ width: LABEL, paddingTop: RULER + above * LANE, height: RULER + lanes.length * LANE }}
        >
          {seen.map((lane) => (
            <button
              key={lane.element}
              type="button"
              style={{ height: LANE }}
              className={`block w-full truncate pr-2 pl-4 text-left text-[13px] ${lane.element === b.active ? "bg-teal-soft font-semibold" : "hover:bg-cloth-sunk"}`}
              onClick={() => ("carrier" in lane ? select(lane.element) : select(lane.thing.id, lane.element))}
            >
              {lane.name}
              {"thing" in lane && <Rides b={b} element={lane.element} />}
            </button>
          ))}
        </div>
        <div
          ref={track}
          className="relative mr-4 min-w-0 flex-1 select-none"
          style={{ height: RULER + lanes.length * LANE }}
          data-testid="strip"
        >
          <Ruler scale={scale} loop={b.loop} here={b.frame} range={b.reach === "range" ? b.range : null} />
          <Pins b={b} scale={scale} />
          <div style={{ height: above * LANE }} />
          {seen.map((lane) =>
            "carrier" in lane ? (
              <ThreadLane key={lane.element} b={b} scale={scale} carrier={lane.carrier} />
            ) : (
              <Lane key={lane.element} b={b} scale={scale} {...lane} />
            ),
          )}
          <div
            className="pointer-events-none absolute top-0 bottom-0 w-px bg-ink"
            style={{ left: toX(scale, b.frame) }}
            data-testid="playhead"
          >
            <span className="absolute top-0 -translate-x-1/2 rounded-[4px] bg-ink px-1.5 text-[12px] leading-[18px] text-cloth">
              {b.frame}
            </span>
          </div>
        </div>
      </div>
      {checks && (
        <div className="flex pb-1">
          <p className="shrink-0 pt-1 pl-4 text-[12px] leading-[18px]" style={{ width: LABEL }}>
            <span className="block text-teal">━ Slip, px</span>
            <span className="block text-ink-soft">╌ Jitter, px</span>
          </p>
          <div className="relative mr-4 min-w-0 flex-1">
            <CheckLane b={b} scale={scale} checks={checks} />
          </div>
        </div>
      )}
    </section>
  );
}

/** What an outline or a pane rides on, beside its name on the lane. */
function Rides({ b, element }: { b: Bench; element: string }) {
  const found = outlineOf(b, element) ?? placedOf(b, element);
  const joints = outlineOf(b, element)?.joints ?? [];
  const names = [found?.rides ?? null, ...joints.map((j) => j.carrier)].flatMap((id) => {
    const name = carrierOf(b, id)?.name;
    return name ? [name] : [];
  });
  if (names.length === 0) return null;
  return (
    <span className="pl-1.5 text-[12px] text-ink-soft" title={`Rides on ${names.join(", ")}`}>
      on {names.join(", ")}
    </span>
  );
}

/** A pin at each frame that needs a look; its height is how badly. */
function Pins({ b, scale }: { b: Bench; scale: Scale }) {
  return doubts(b).map(({ frame, need }) => (
    <button
      key={frame}
      type="button"
      aria-label={`Frame ${frame} needs a look`}
      title={`Frame ${frame} needs a look  (W goes to the worst)`}
      className="absolute top-0 w-[7px] -translate-x-1/2"
      style={{ left: toX(scale, frame), height: 6 + 12 * need }}
      onClick={() => goTo(frame)}
    >
      <span className="absolute inset-x-[3px] top-1 bottom-0 bg-marigold" />
      <span className="absolute top-0 left-0 size-[7px] rounded-full bg-marigold" />
    </button>
  ));
}

function Transport({ b }: { b: Bench }) {
  const { plate } = b.shot!;
  const first = plate.first ?? 1001;
  const last = lastFrame(plate);
  const setEnd = (end: 0 | 1) => {
    const loop: [number, number] = b.loop ? [...b.loop] : [first, last];
    loop[end] = b.frame;
    if (loop[0] >= loop[1]) loop[end === 0 ? 1 : 0] = end === 0 ? last : first;
    setBench({ loop });
  };
  return (
    <div className="flex h-9 items-center gap-2 px-3">
      <IconButton
        label={b.playing ? "Pause" : "Play"}
        shortcut="Space"
        className="size-8"
        onClick={() => setBench({ playing: !b.playing })}
      >
        {b.playing ? <Pause size={17} fill="currentColor" /> : <Play size={17} fill="currentColor" />}
      </IconButton>
      <b className="w-12 text-[16px]" data-testid="frame">
        {b.frame}
      </b>
      <span className="w-24 text-ink-soft">{timeText(plate, b.frame)}</span>
      <span className="rounded-md bg-cloth-sunk px-2 py-0.5 text-[13px]">
        {first} to {last}, {rateText(plate.rate_num, plate.rate_den)} f/s
      </span>
      <Button look="quiet" small title="Loop from this frame on" onClick={() => setEnd(0)}>
        Loop from here
      </Button>
      <Button look="quiet" small title="Loop up to this frame" onClick={() => setEnd(1)}>
        to here
      </Button>
      {b.loop && (
        <Button
          look="quiet"
          small
          className="text-teal"
          title="Loop the whole plate"
          onClick={() => setBench({ loop: null })}
        >
          <Repeat size={15} /> {b.loop[0]} to {b.loop[1]}
        </Button>
      )}
      <span className="ml-auto" />
      <Button
        look="quiet"
        small
        aria-pressed={b.onion}
        className={b.onion ? "text-teal" : "text-ink-soft"}
        title="Show the shapes of the keys before and after, faint  (O)"
        onClick={() => setBench({ onion: !b.onion })}
      >
        Onion skin
      </Button>
      <span className="pl-2 text-ink-soft">Reach</span>
      <Choice options={REACHES} value={b.reach} onPick={pickReach} />
      {b.reach === "range" && b.range && <RangeFields b={b} range={b.range} />}
    </div>
  );
}

/** Choose how far edits go; a range begins as the loop, or as the frames around this one. */
export function pickReach(reach: Reach) {
  const { range, loop, frame, shot } = bench();
  const first = shot?.plate.first ?? 1001;
  const last = first + (shot?.plate.count ?? 1) - 1;
  const start = loop ?? [Math.max(frame - 5, first), Math.min(frame + 5, last)];
  setBench({ reach, range: range ?? { first: start[0], last: start[1], soft: 5 } });
}

function RangeFields({ b, range }: { b: Bench; range: Range }) {
  const first = b.shot!.plate.first ?? 1001;
  const last = lastFrame(b.shot!.plate);
  const set = (change: Partial<Range>) => setBench({ range: { ...range, ...change } });
  return (
    <>
      <NumberField
        label="Range from"
        caption=""
        narrow
        value={range.first}
        min={first}
        max={range.last}
        onCommit={(from) => set({ first: from })}
      />
      <NumberField
        label="Range to"
        caption="to"
        narrow
        value={range.last}
        min={range.first}
        max={last}
        onCommit={(to) => set({ last: to })}
      />
      <NumberField
        label="Soft frames"
        caption="soft"
        narrow
        value={range.soft}
        min={0}
        max={500}
        onCommit={(soft) => set({ soft })}
      />
    </>
  );
}

/** Numbers and ticks; pressing and dragging scrubs. */
function Ruler({
  scale,
  loop,
  here,
  range,
}: {
  scale: Scale;
  loop: [number, number] | null;
  here: number;
  range: Range | null;
}) {
  const step =
    [1, 2, 5, 10, 20, 50, 100, 200, 500, 1000, 2000, 5000].find(
      (n) => (scale.width / scale.count) * n > 52,
    ) ?? 10000;
  const minor = [1, 2, 5, 10, 50, 100, 500, 1000].find((n) => (scale.width / scale.count) * n > 6) ?? 5000;
  const scrub = (event: PointerEvent<HTMLDivElement>) => {
    const box = event.currentTarget.getBoundingClientRect();
    setBench({ playing: false });
    goTo(toFrame(scale, event.clientX - box.left), event.timeStamp);
  };
  const ticks = [];
  for (let f = scale.first; f < scale.first + scale.count; f += 1) {
    const offset = f - scale.first;
    if (offset % step === 0) ticks.push({ f, tall: true });
    else if (offset % minor === 0) ticks.push({ f, tall: false });
  }
  return (
    <div
      className="relative h-6 cursor-ew-resize touch-none"
      data-testid="ruler"
      onPointerDown={(event) => {
        event.currentTarget.setPointerCapture(event.pointerId);
        scrub(event);
      }}
      onPointerMove={(event) => event.buttons & 1 && scrub(event)}
    >
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
