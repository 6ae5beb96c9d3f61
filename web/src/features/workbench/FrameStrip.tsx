import { Pause, Play, Repeat } from "lucide-react";
import { useEffect, useRef, useState, type PointerEvent } from "react";

import type { Cover, Edit, Pane } from "../../api/client";
import { Button, Choice, IconButton } from "../../ui/Button";
import { lastFrame, rateText, timeText } from "../../ui/format";
import { bench, goTo, inDepth, keyFrames, select, setBench, useBench, type Bench, type Reach } from "./bench";
import { send } from "./send";

const LABEL = 150;
const LANE = 22;

/** Frames to pixels of the strip and back. */
interface Scale {
  first: number;
  count: number;
  width: number;
}

/** A lane: the keys of an outline of a cover, or of a pane. */
interface LaneOf {
  thing: Cover | Pane;
  element: string;
  name: string;
}

const toX = (s: Scale, frame: number) => ((frame - s.first + 0.5) / s.count) * s.width;
const edgeX = (s: Scale, frame: number) => ((frame - s.first) / s.count) * s.width;
const toFrame = (s: Scale, x: number) =>
  Math.min(Math.max(Math.floor((x / s.width) * s.count), 0), s.count - 1) + s.first;

/** How far an edit on this frame goes. */
export const REACHES: { value: Reach; label: string; title: string }[] = [
  { value: "frame", label: "This frame", title: "An edit touches this frame only  (R changes it)" },
  { value: "all", label: "All keys", title: "An edit moves all keys likewise  (R changes it)" },
  {
    value: "onward",
    label: "From here on",
    title: "An edit moves this and all later keys likewise  (R changes it)",
  },
];

/** Play, loop, scrub, and a lane with stitches for each cover and pane. */
export function FrameStrip() {
  const b = useBench();
  const track = useRef<HTMLDivElement>(null);
  const [width, setWidth] = useState(800);
  useEffect(() => {
    const observer = new ResizeObserver(([entry]) => setWidth(entry!.contentRect.width));
    observer.observe(track.current!);
    return () => observer.disconnect();
  }, []);
  const { plate } = b.shot!;
  const scale: Scale = { first: plate.first ?? 1001, count: plate.count, width };
  const things = inDepth(b);
  const lanes = things.flatMap((thing): LaneOf[] =>
    thing.kind === "pane"
      ? [{ thing, element: thing.id, name: thing.name }]
      : (thing.outlines ?? []).map((id, i) => ({
          thing,
          element: id,
          name: (thing.outlines ?? []).length > 1 ? `${thing.name}, ${i + 1}` : thing.name,
        })),
  );
  return (
    <section className="border-t border-line" aria-label="Frame strip">
      <Transport b={b} />
      <div className="flex max-h-44 min-h-[92px] overflow-y-auto pb-2">
        <div className="shrink-0 pt-6" style={{ width: LABEL }}>
          {lanes.map((lane) => (
            <button
              key={lane.element}
              type="button"
              style={{ height: LANE }}
              className={`block w-full truncate pr-2 pl-4 text-left text-[13px] ${lane.element === b.active ? "bg-teal-soft font-semibold" : "hover:bg-cloth-sunk"}`}
              onClick={() => select(lane.thing.id, lane.element)}
            >
              {lane.name}
            </button>
          ))}
        </div>
        <div ref={track} className="relative mr-4 min-w-0 flex-1 select-none" data-testid="strip">
          <Ruler scale={scale} loop={b.loop} here={b.frame} />
          {lanes.map((lane) => (
            <Lane key={lane.element} b={b} scale={scale} {...lane} />
          ))}
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
    </section>
  );
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
      <Choice options={REACHES} value={b.reach} onPick={(reach) => setBench({ reach })} />
    </div>
  );
}

/** Numbers and ticks; pressing and dragging scrubs. */
function Ruler({ scale, loop, here }: { scale: Scale; loop: [number, number] | null; here: number }) {
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

function Lane({ b, scale, thing, element, name }: LaneOf & { b: Bench; scale: Scale }) {
  const [shift, setShift] = useState<{ frames: ReadonlySet<number>; by: number } | null>(null);
  const frames = keyFrames(b, element);
  const chosen = b.keys?.element === element ? b.keys.frames : null;
  const from = (thing.kind === "cover" && thing.first) || scale.first;
  const to = (thing.kind === "cover" && thing.last) || scale.first + scale.count - 1;

  const grab = (event: PointerEvent<HTMLButtonElement>, frame: number) => {
    event.stopPropagation();
    select(thing.id, element);
    const kept = chosen?.has(frame) || event.shiftKey ? (chosen ?? []) : [];
    const moving = new Set([...kept, frame]);
    setBench({ keys: { element, frames: moving } });
    const target = event.currentTarget;
    target.setPointerCapture(event.pointerId);
    const start = event.clientX;
    const low = Math.min(...moving);
    const high = Math.max(...moving);
    let by = 0;
    target.onpointermove = (move) => {
      const wanted = Math.round(((move.clientX - start) / scale.width) * scale.count);
      by = Math.min(Math.max(wanted, scale.first - low), scale.first + scale.count - 1 - high);
      setShift(by === 0 ? null : { frames: moving, by });
    };
    target.onpointerup = () => {
      target.onpointermove = target.onpointerup = null;
      if (by === 0) {
        setShift(null);
        setBench({ playing: false });
        return goTo(frame);
      }
      void send({ type: "move-keys", element, frames: [...moving], by } as Edit).then((change) => {
        setShift(null);
        if (change) setBench({ keys: { element, frames: new Set([...moving].map((f) => f + by)) } });
      });
    };
  };

  return (
    <div
      className={`relative ${element === b.active ? "bg-teal-soft/60" : ""}`}
      style={{ height: LANE }}
      data-testid={`lane-${name}`}
      onPointerDown={() => {
        select(thing.id, element);
        if (bench().keys) setBench({ keys: null });
      }}
    >
      <span className="absolute inset-x-0 top-[3px] bottom-[3px] rounded-[4px] bg-cloth-sunk" />
      <span
        className="absolute top-[3px] bottom-[3px] rounded-[4px] bg-hem"
        style={{ left: edgeX(scale, from), width: edgeX(scale, to + 1) - edgeX(scale, from) }}
      />
      {thing.kind === "cover" && <Hems cover={thing} scale={scale} />}
      {frames.map((frame) => {
        const shown = shift?.frames.has(frame) ? frame + shift.by : frame;
        const picked = chosen?.has(frame);
        const reached =
          element === b.active && (b.reach === "all" || (b.reach === "onward" && frame >= b.frame));
        return (
          <button
            key={frame}
            type="button"
            aria-label={`Key ${frame} of ${name}`}
            title={`Key ${frame}: drag to move, Delete deletes`}
            className="absolute top-0 bottom-0 flex w-[13px] -translate-x-1/2 touch-none items-center justify-center"
            style={{ left: toX(scale, shown) }}
            onPointerDown={(event) => grab(event, frame)}
          >
            <span
              className={`h-[13px] w-[5px] rounded-full ${picked ? "bg-teal ring-2 ring-teal/35" : frame === b.frame || reached ? "bg-teal" : "bg-ink"}`}
            />
          </button>
        );
      })}
    </div>
  );
}

/** The ends of a cover's hem: in and out, dragged. */
function Hems({ cover, scale }: { cover: Cover; scale: Scale }) {
  const last = scale.first + scale.count - 1;
  const from = cover.first ?? scale.first;
  const to = cover.last ?? last;
  const drag = (event: PointerEvent<HTMLElement>, end: "first" | "last") => {
    event.stopPropagation();
    const target = event.currentTarget;
    const lane = target.parentElement!.getBoundingClientRect();
    target.setPointerCapture(event.pointerId);
    let frame = end === "first" ? from : to;
    target.onpointermove = (move) => {
      const at = toFrame(scale, move.clientX - lane.left);
      frame = end === "first" ? Math.min(at, to) : Math.max(at, from);
      target.style.left = `${edgeX(scale, end === "first" ? frame : frame + 1)}px`;
    };
    target.onpointerup = () => {
      target.onpointermove = target.onpointerup = null;
      if (frame !== (end === "first" ? from : to))
        void send({ type: "set-cover", cover: cover.id, [end]: frame } as Edit);
    };
  };
  return (["first", "last"] as const).map((end) => (
    <span
      key={end}
      title={end === "first" ? `In, ${from}: drag` : `Out, ${to}: drag`}
      aria-label={end === "first" ? "In" : "Out"}
      className="absolute top-[3px] bottom-[3px] w-[7px] -translate-x-1/2 cursor-ew-resize touch-none"
      style={{ left: edgeX(scale, end === "first" ? from : to + 1) }}
      onPointerDown={(event) => drag(event, end)}
    />
  ));
}
