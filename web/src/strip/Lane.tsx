import { useDrag } from "@use-gesture/react";
import { useState, type KeyboardEvent } from "react";

import type { Cover, Edit } from "../api/client";
import { turnKeysBy } from "../commands/choosing";
import { send } from "../commands/send";
import { bench, goTo, select, setBench, useBench } from "../state/bench";
import { keyFrames, outlineOf } from "../state/lookups";
import type { Settled } from "../state/types";
import { BY_POINTER } from "../ui/pointer";
import { FitThread } from "./FitThread";
import { Fades, Hems, Keys, ProposedMarks, type Placing } from "./marks";
import { edgeX, LANE, toX, type LaneOf, type Scale } from "./scale";

/** How far beside a key it can still be taken, in pixels. */
const NEAR = 6.5;
/** Pixels of travel from which a press beside the keys is a sweep. */
const SWEEPS = 4;

/** Keys spread anew so that the one that is dragged comes to a frame and the farthest other one stays. */
function stretched(moving: number[], dragged: number, to: number): Placing {
  const low = Math.min(...moving);
  const high = Math.max(...moving);
  const fixed = dragged - low > high - dragged ? low : high;
  const share = dragged === fixed ? 1 : (to - fixed) / (dragged - fixed);
  return new Map(moving.map((f) => [f, Math.round(fixed + (f - fixed) * share)]));
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

/** A drag on a lane: of keys that are moved, copied or stretched, or over nothing, which chooses. */
type Held =
  | {
      what: "keys";
      frame: number;
      moving: number[];
      how: "move" | "copy" | "stretch";
      placing: Placing | null;
    }
  | { what: "sweep"; left: number };

/** Where a drag of keys by so many frames leads. */
function placed(held: Held & { what: "keys" }, by: number, scale: Scale): Placing | null {
  const { frame, moving, how } = held;
  const last = scale.first + scale.count - 1;
  if (how === "stretch") {
    const end = Math.min(Math.max(frame + by, scale.first), last);
    return end === frame ? null : stretched(moving, frame, end);
  }
  const within = Math.min(Math.max(by, scale.first - Math.min(...moving)), last - Math.max(...moving));
  return within === 0 ? null : new Map(moving.map((f) => [f, f + within]));
}

/** The edit that a drag of keys is. */
function editOf(element: string, held: Held & { what: "keys" }, ends: Placing): Edit {
  const { frame, moving: frames, how } = held;
  if (how !== "stretch")
    return { type: "move-keys", element, frames, by: ends.get(frame)! - frame, copies: how === "copy" };
  const [low, high] = [Math.min(...frames), Math.max(...frames)];
  return { type: "stretch-keys", element, frames, first: ends.get(low)!, last: ends.get(high)! };
}

/** What the hand does on one lane: where keys would come to lie, and what is swept over. */
function useHand({ scale, thing, element }: LaneOf & { scale: Scale }, frames: number[]) {
  const [placing, setPlacing] = useState<Placing | null>(null);
  const [sweep, setSweep] = useState<[number, number] | null>(null);

  const begin = (x: number, left: number, shift: boolean): Held => {
    const frame = nearest(frames, scale, x - left);
    select(thing.id, element);
    const { keys } = bench();
    if (frame === null) {
      if (keys) setBench({ keys: null });
      return { what: "sweep", left };
    }
    const chosen = keys?.element === element ? keys.frames : new Set<number>();
    const moving = [...new Set([...(chosen.has(frame) || shift ? chosen : []), frame])];
    setBench({ keys: { element, frames: new Set(moving) } });
    return { what: "keys", frame, moving, how: "move", placing: null };
  };

  const sweepTo = (from: number, to: number) => {
    if (Math.abs(to - from) < SWEEPS) return;
    const [low, high] = [Math.min(from, to), Math.max(from, to)];
    setSweep([low, high]);
    const within = frames.filter((f) => toX(scale, f) >= low && toX(scale, f) <= high);
    setBench({ keys: within.length ? { element, frames: new Set(within) } : null });
  };

  const drop = (held: Held & { what: "keys" }) => {
    const ends = held.placing;
    if (!ends) {
      setPlacing(null);
      setBench({ playing: false });
      return goTo(held.frame);
    }
    void send(editOf(element, held, ends)).then((change) => {
      setPlacing(null);
      if (change) setBench({ keys: { element, frames: new Set(ends.values()) } });
    });
  };

  const drag = useDrag<PointerEvent>(
    ({ first, last, xy: [x], initial: [x0], memo, currentTarget, ...keys }) => {
      const { left } = (currentTarget as HTMLElement).getBoundingClientRect();
      const held = first ? begin(x, left, keys.shiftKey) : (memo as Held);
      if (held.what === "sweep") {
        if (!last) sweepTo(x0 - left, x - left);
        else setSweep(null);
        return held;
      }
      const several = held.moving.length > 1;
      held.how = keys.altKey && several ? "stretch" : keys.ctrlKey || keys.metaKey ? "copy" : "move";
      if (!last) held.placing = placed(held, Math.round(((x - x0) / scale.width) * scale.count), scale);
      if (last) drop(held);
      else setPlacing(held.placing);
      return held;
    },
    BY_POINTER,
  );
  return { drag, placing, sweep };
}

/** Left and right choose the key before and after; with Shift besides, with Alt they move what is chosen. */
function byKeyboard(event: KeyboardEvent, { thing, element }: LaneOf, frames: number[]) {
  const way = event.key === "ArrowLeft" ? -1 : event.key === "ArrowRight" ? 1 : 0;
  if (!event.currentTarget.matches(":focus-visible")) return;
  if (way === 0 && event.key !== "Enter") return;
  event.preventDefault();
  event.stopPropagation();
  select(thing.id, element);
  if (way === 0) return;
  if (event.altKey) return turnKeysBy(element, way);
  const { frame, keys } = bench();
  const next = way < 0 ? frames.filter((f) => f < frame).at(-1) : frames.find((f) => f > frame);
  if (next === undefined) return;
  const kept = event.shiftKey && keys?.element === element ? keys.frames : [];
  setBench({ playing: false, keys: { element, frames: new Set([...kept, next]) } });
  goTo(next, event.timeStamp);
}

/** One outline's (or pane's) keys. Dragging moves them, with Ctrl copies, with Alt stretches; over nothing it chooses. */
export function Lane(props: LaneOf & { b: Settled; scale: Scale }) {
  const { b, scale, thing, element, name } = props;
  const proposed = useBench((now) => now.proposal);
  const frames = keyFrames(b, element);
  const { drag, placing, sweep } = useHand(props, frames);
  const outline = outlineOf(b, element);
  const several = thing.kind === "cover" && (thing as Cover).outlines.length > 1;
  const spanned = several && outline ? outline : (thing as Cover);
  const last = scale.first + scale.count - 1;
  const from = (thing.kind === "cover" && spanned.first) || scale.first;
  const to = (thing.kind === "cover" && spanned.last) || last;
  const proposal = proposed?.element === element ? proposed : null;
  return (
    <div
      className={`relative touch-none rounded-[4px] ${element === b.active ? "bg-teal-soft/60" : ""}`}
      style={{ height: LANE }}
      data-testid={`lane-${name}`}
      role="toolbar"
      tabIndex={0}
      aria-label={frames.length ? `Keys of ${name}: ${frames.join(", ")}` : `No keys of ${name}`}
      title="Drag a key to move it, with Ctrl to copy it, with Alt to stretch the chosen ones; drag beside the keys to choose. Left and right go from key to key, with Alt they move what is chosen"
      data-own-arrows
      onKeyDown={(event) => byKeyboard(event, props, frames)}
      {...drag()}
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
      <FitThread b={b} scale={scale} element={element} />
      {proposal && <ProposedMarks proposal={proposal} scale={scale} />}
      <Keys b={b} scale={scale} element={element} frames={frames} placing={placing} proposal={proposal} />
    </div>
  );
}
