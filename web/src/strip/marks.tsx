import { useDrag } from "@use-gesture/react";
import { useState } from "react";
import { Has, Settled } from "../state/types";
import { edgeX, LANE, Scale, toFrame, toX } from "./scale";
import { Proposal } from "../state/slices/drag";
import { goTo, useFrame } from "../state/bench";
import { turnFrame } from "../commands/proposals";
import { Cover, Outline } from "../api/client";
import { send } from "../commands/send";
import { BY_POINTER } from "../ui/pointer";

/** Where keys would come to lie while they are dragged, by their frames now. */
export type Placing = ReadonlyMap<number, number>;

/** The stitches of a lane. All of one look are one path: an element for each would cost more than all else on the page. */
export function Keys(props: {
  b: Settled;
  scale: Scale;
  element: string;
  frames: number[];
  placing: Placing | null;
  proposal: Proposal | null;
}) {
  const here = useFrame();
  const { b, scale, element, frames, placing, proposal } = props;
  const chosen = b.keys?.element === element ? b.keys.frames : null;
  const looks = { rest: "", chosen: "", reached: "", going: "" };
  for (const frame of frames) {
    const stitch = `M${toX(scale, placing?.get(frame) ?? frame).toFixed(1)} 7v8`;
    if (proposal?.kind === "thin" && !proposal.kept.has(frame)) looks.going += stitch;
    else if (chosen?.has(frame)) looks.chosen += stitch;
    else if (frame === here || (element === b.active && isReached(b, here, frame))) looks.reached += stitch;
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

function isReached(b: Has<"reach" | "range">, here: number, frame: number): boolean {
  if (b.reach === "range" && b.range)
    return frame > b.range.first - b.range.soft - 1 && frame < b.range.last + b.range.soft + 1;
  return b.reach === "all" || (b.reach === "onward" && frame >= here);
}

/** Frames of what is proposed: rings where a key would be; a ring that is clicked is left out or taken in. */
export function ProposedMarks({ proposal, scale }: { proposal: Proposal; scale: Scale }) {
  if (proposal.kind === "differing") return <KeptFrames kept={proposal.kept} scale={scale} />;
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

/** Frames that are proposed at every one: a band along those that are kept. */
function KeptFrames({ kept, scale }: { kept: ReadonlySet<number>; scale: Scale }) {
  let path = "";
  for (const run of runsOf(kept)) path += `M${edgeX(scale, run[0])} 11H${edgeX(scale, run[1] + 1)}`;
  return (
    <svg className="pointer-events-none absolute inset-0 size-full" data-testid="kept-frames" aria-hidden>
      <path d={path} className="stroke-teal/35" strokeWidth={16} />
    </svg>
  );
}

function runsOf(frames: ReadonlySet<number>): [number, number][] {
  const runs: [number, number][] = [];
  for (const frame of [...frames].sort((a, b) => a - b)) {
    const last = runs.at(-1);
    if (last && last[1] === frame - 1) last[1] = frame;
    else runs.push([frame, frame]);
  }
  return runs;
}

/** Fades at both ends, as slopes of the hem. */
export function Fades(props: { thing: Cover | Outline; scale: Scale; from: number; to: number }) {
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
export function Hems({ thing, scale }: { thing: Cover | Outline; scale: Scale }) {
  const last = scale.first + scale.count - 1;
  const ends = { first: thing.first ?? scale.first, last: thing.last ?? last };
  return (["first", "last"] as const).map((end) => (
    <Hem key={end} thing={thing} scale={scale} end={end} ends={ends} />
  ));
}

function Hem(props: {
  thing: Cover | Outline;
  scale: Scale;
  end: "first" | "last";
  ends: { first: number; last: number };
}) {
  const { thing, scale, end, ends } = props;
  const [dragged, setDragged] = useState<number | null>(null);
  const set = (frame: number) => {
    if (frame === ends[end]) return;
    void send(
      thing.kind === "outline"
        ? { type: "set-outline", outline: thing.id, [end]: frame }
        : { type: "set-cover", cover: thing.id, [end]: frame },
    );
  };
  const within = (frame: number) =>
    end === "first" ? Math.min(frame, ends.last) : Math.max(frame, ends.first);
  const drag = useDrag<PointerEvent>(({ event, last, xy: [x], currentTarget }) => {
    event.stopPropagation();
    const lane = (currentTarget as HTMLElement).parentElement!.getBoundingClientRect();
    const frame = within(toFrame(scale, x - lane.left));
    setDragged(last ? null : frame);
    if (last) set(frame);
  }, BY_POINTER);
  const frame = dragged ?? ends[end];
  return (
    <span
      role="slider"
      tabIndex={0}
      title={end === "first" ? `In, ${frame}: drag` : `Out, ${frame}: drag`}
      aria-label={end === "first" ? `In of ${nameOf(thing)}` : `Out of ${nameOf(thing)}`}
      aria-valuenow={frame}
      aria-valuemin={scale.first}
      aria-valuemax={scale.first + scale.count - 1}
      className="absolute top-[3px] bottom-[3px] w-[7px] -translate-x-1/2 cursor-ew-resize touch-none"
      style={{ left: edgeX(scale, end === "first" ? frame : frame + 1) }}
      data-own-arrows
      onKeyDown={(event) => {
        const way = event.key === "ArrowLeft" ? -1 : event.key === "ArrowRight" ? 1 : 0;
        if (way === 0) return;
        event.preventDefault();
        event.stopPropagation();
        set(within(ends[end] + way * (event.shiftKey ? 10 : 1)));
      }}
      {...drag()}
    />
  );
}

const nameOf = (thing: Cover | Outline) => (thing.kind === "cover" ? (thing as Cover).name : "this part");
