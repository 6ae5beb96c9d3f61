import { useState, type PointerEvent } from "react";

import type { Cover, Edit, Outline, Thing } from "../api/client";
import { bench, goTo, keyFrames, outlineOf, select, setBench, type Bench, type Proposal } from "../state/bench";
import { turnFrame } from "../commands/proposals";
import { send } from "../commands/send";

export const LANE = 22;
/** How far beside a key it can still be taken, in pixels. */
const NEAR = 6.5;

/** Frames to pixels of the strip and back. */
export interface Scale {
  first: number;
  count: number;
  width: number;
}

/** A lane: the keys of an outline of a cover, or of a pane. */
export interface LaneOf {
  thing: Thing;
  element: string;
  name: string;
}

export const toX = (s: Scale, frame: number) => ((frame - s.first + 0.5) / s.count) * s.width;
export const edgeX = (s: Scale, frame: number) => ((frame - s.first) / s.count) * s.width;
export const toFrame = (s: Scale, x: number) =>
  Math.min(Math.max(Math.floor((x / s.width) * s.count), 0), s.count - 1) + s.first;

/** Where keys would come to lie while they are dragged, by their frames now. */
type Placing = ReadonlyMap<number, number>;

/** Keys spread anew so that the one that is dragged comes to a frame and the farthest other one stays. */
function stretched(moving: number[], dragged: number, to: number): Placing {
  const low = Math.min(...moving);
  const high = Math.max(...moving);
  const fixed = dragged - low > high - dragged ? low : high;
  const share = dragged === fixed ? 1 : (to - fixed) / (dragged - fixed);
  return new Map(moving.map((f) => [f, Math.round(fixed + (f - fixed) * share)]));
}

/** One outline's (or pane's) keys. Dragging moves them, with Ctrl copies, with Alt stretches; over nothing it chooses. */
export function Lane({ b, scale, thing, element, name }: LaneOf & { b: Bench; scale: Scale }) {
  const [placing, setPlacing] = useState<Placing | null>(null);
  const [sweep, setSweep] = useState<[number, number] | null>(null);
  const frames = keyFrames(b, element);
  const chosen = b.keys?.element === element ? b.keys.frames : null;
  const outline = outlineOf(b, element);
  const several = thing.kind === "cover" && ((thing as Cover).outlines ?? []).length > 1;
  const spanned = several && outline ? outline : (thing as Cover);
  const last = scale.first + scale.count - 1;
  const from = (thing.kind === "cover" && spanned.first) || scale.first;
  const to = (thing.kind === "cover" && spanned.last) || last;
  const proposal = b.proposal?.element === element ? b.proposal : null;

  const grab = (event: PointerEvent<HTMLDivElement>) => {
    const pointed = event.clientX - event.currentTarget.getBoundingClientRect().left;
    const frame = nearest(frames, scale, pointed);
    if (frame === null) return;
    event.stopPropagation();
    select(thing.id, element);
    const kept = chosen?.has(frame) || event.shiftKey ? (chosen ?? []) : [];
    const moving = [...new Set([...kept, frame])];
    setBench({ keys: { element, frames: new Set(moving) } });
    const target = event.currentTarget;
    target.setPointerCapture(event.pointerId);
    const start = event.clientX;
    const low = Math.min(...moving);
    const high = Math.max(...moving);
    let places: Placing | null = null;
    let how: "move" | "copy" | "stretch" = "move";
    target.onpointermove = (move) => {
      const wanted = Math.round(((move.clientX - start) / scale.width) * scale.count);
      how = move.altKey && moving.length > 1 ? "stretch" : move.ctrlKey || move.metaKey ? "copy" : "move";
      const by = Math.min(Math.max(wanted, scale.first - low), last - high);
      if (how === "stretch") {
        const end = Math.min(Math.max(frame + wanted, scale.first), last);
        places = end === frame ? null : stretched(moving, frame, end);
      } else places = by === 0 ? null : new Map(moving.map((f) => [f, f + by]));
      setPlacing(places);
    };
    target.onpointerup = () => {
      target.onpointermove = target.onpointerup = null;
      if (!places) {
        setPlacing(null);
        setBench({ playing: false });
        return goTo(frame);
      }
      const ends = places;
      const edit =
        how === "stretch"
          ? { type: "stretch-keys", element, frames: moving, first: ends.get(low), last: ends.get(high) }
          : {
              type: "move-keys",
              element,
              frames: moving,
              by: ends.get(frame)! - frame,
              copies: how === "copy",
            };
      void send(edit as Edit).then((change) => {
        setPlacing(null);
        if (change) setBench({ keys: { element, frames: new Set(ends.values()) } });
      });
    };
  };

  const sweepKeys = (event: PointerEvent<HTMLDivElement>) => {
    select(thing.id, element);
    if (bench().keys) setBench({ keys: null });
    const target = event.currentTarget;
    target.setPointerCapture(event.pointerId);
    const left = target.getBoundingClientRect().left;
    const start = event.clientX - left;
    target.onpointermove = (move) => {
      const now = move.clientX - left;
      if (Math.abs(now - start) < 4) return;
      const [low, high] = [Math.min(start, now), Math.max(start, now)];
      setSweep([low, high]);
      const within = frames.filter((f) => toX(scale, f) >= low && toX(scale, f) <= high);
      setBench({ keys: within.length ? { element, frames: new Set(within) } : null });
    };
    target.onpointerup = () => {
      target.onpointermove = target.onpointerup = null;
      setSweep(null);
    };
  };

  return (
    <div
      className={`relative touch-none ${element === b.active ? "bg-teal-soft/60" : ""}`}
      style={{ height: LANE }}
      data-testid={`lane-${name}`}
      aria-label={frames.length ? `Keys of ${name}: ${frames.join(", ")}` : `No keys of ${name}`}
      title="Drag a key to move it, with Ctrl to copy it, with Alt to stretch the chosen ones; drag beside the keys to choose"
      onPointerDownCapture={grab}
      onPointerDown={sweepKeys}
    >
      <span className="absolute inset-x-0 top-[3px] bottom-[3px] rounded-[4px] bg-cloth-sunk" />
      <span
        className="absolute top-[3px] bottom-[3px] rounded-[4px] bg-hem"
        style={{ left: edgeX(scale, from), width: edgeX(scale, to + 1) - edgeX(scale, from) }}
      />
      {thing.kind === "cover" && <Fades thing={spanned} scale={scale} from={from} to={to} />}
      {thing.kind === "cover" && <Hems thing={spanned} scale={scale} />}
      {sweep && (
        <span
          className="absolute top-px bottom-px rounded-[3px] border border-dashed border-teal bg-teal/15"
          style={{ left: sweep[0], width: sweep[1] - sweep[0] }}
        />
      )}
      {proposal && <ProposedMarks proposal={proposal} scale={scale} />}
      <Keys b={b} scale={scale} element={element} frames={frames} placing={placing} proposal={proposal} />
    </div>
  );
}

/** The key under the pointer, which may be a little beside it. */
function nearest(frames: number[], scale: Scale, x: number): number | null {
  let found: number | null = null;
  let least = NEAR;
  for (const frame of frames) {
    const away = Math.abs(toX(scale, frame) - x);
    if (away <= least) [found, least] = [frame, away];
  }
  return found;
}

/** The stitches of a lane. All of one look are one path: an element for each would cost more than all else on the page. */
function Keys(props: {
  b: Bench;
  scale: Scale;
  element: string;
  frames: number[];
  placing: Placing | null;
  proposal: Proposal | null;
}) {
  const { b, scale, element, frames, placing, proposal } = props;
  const chosen = b.keys?.element === element ? b.keys.frames : null;
  const looks = { rest: "", chosen: "", reached: "", going: "" };
  for (const frame of frames) {
    const stitch = `M${toX(scale, placing?.get(frame) ?? frame).toFixed(1)} 7v8`;
    if (proposal?.kind === "thin" && !proposal.kept.has(frame)) looks.going += stitch;
    else if (chosen?.has(frame)) looks.chosen += stitch;
    else if (frame === b.frame || (element === b.active && isReached(b, frame))) looks.reached += stitch;
    else looks.rest += stitch;
  }
  return (
    <svg
      className="pointer-events-none absolute inset-0 size-full"
      strokeWidth={5}
      strokeLinecap="round"
      aria-hidden
    >
      {looks.going && <path d={looks.going} className="stroke-ink/25" />}
      {looks.rest && <path d={looks.rest} className="stroke-ink" />}
      {looks.reached && <path d={looks.reached} className="stroke-teal" />}
      {looks.chosen && <path d={looks.chosen} className="stroke-teal/35" strokeWidth={9} />}
      {looks.chosen && <path d={looks.chosen} className="stroke-teal" />}
    </svg>
  );
}

function isReached(b: Bench, frame: number): boolean {
  if (b.reach === "range" && b.range)
    return frame > b.range.first - b.range.soft - 1 && frame < b.range.last + b.range.soft + 1;
  return b.reach === "all" || (b.reach === "onward" && frame >= b.frame);
}

/** Frames of what is proposed: rings where a key would be; a ring that is clicked is left out or taken in. */
function ProposedMarks({ proposal, scale }: { proposal: Proposal; scale: Scale }) {
  const frames = proposal.kind === "thin" ? [...proposal.kept] : Object.keys(proposal.shapes).map(Number);
  return frames.map((frame) => (
    <button
      key={frame}
      type="button"
      aria-label={`Proposed ${frame}`}
      title={
        proposal.kind === "carry" ? `Frame ${frame}: leave out or take in` : `Frame ${frame} stays a key`
      }
      className={`absolute top-[4px] h-[14px] w-[7px] -translate-x-1/2 rounded-full border-[1.5px] border-teal ${proposal.kept.has(frame) ? "bg-teal/30" : "opacity-40"}`}
      style={{ left: toX(scale, frame) }}
      onPointerDown={(event) => {
        event.stopPropagation();
        turnFrame(frame);
        goTo(frame);
      }}
    />
  ));
}

/** Fades at both ends, as slopes of the hem. */
function Fades(props: { thing: Cover | Outline; scale: Scale; from: number; to: number }) {
  const { thing, scale, from, to } = props;
  const slopes = [
    thing.fade_in ? [edgeX(scale, from), edgeX(scale, from + thing.fade_in)] : null,
    thing.fade_out ? [edgeX(scale, to + 1), edgeX(scale, to + 1 - thing.fade_out)] : null,
  ];
  return (
    <svg className="pointer-events-none absolute inset-0 size-full" aria-hidden>
      {slopes.map(
        (slope, i) =>
          slope && (
            <polygon
              key={i}
              className="fill-cloth-sunk"
              points={`${slope[0]},3 ${slope[1]},3 ${slope[0]},${LANE - 3}`}
            />
          ),
      )}
    </svg>
  );
}

/** The ends of a hem: in and out of a cover, or of one outline of several, dragged. */
function Hems({ thing, scale }: { thing: Cover | Outline; scale: Scale }) {
  const last = scale.first + scale.count - 1;
  const from = thing.first ?? scale.first;
  const to = thing.last ?? last;
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
        void send(
          (thing.kind === "outline"
            ? { type: "set-outline", outline: thing.id, [end]: frame }
            : { type: "set-cover", cover: thing.id, [end]: frame }) as Edit,
        );
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
