import { useVirtualizer } from "@tanstack/react-virtual";
import { useEffect, useRef, useState } from "react";
import { select, useFrame, useSettled } from "../state/bench";
import { LANE, LaneOf, Scale, toX } from "./scale";
import { groupOf, inDepth, outlineOf, partsOf } from "../state/lookups";
import type { Carrier, Cover, Pane, Thing } from "../api/client";
import { turnFold, useFolds } from "../state/folds";
import { PieceLane } from "./PieceLane";
import { ChevronDown, ChevronRight } from "lucide-react";
import { goToDoubt } from "../commands/reviewing";
import { carrierOf, carriersOf } from "../state/carriers";
import { checksOf } from "../state/checks";
import { useDoubts } from "./doubts";
import { Transport } from "./Transport";
import { Grip, useSizes } from "../ui/Grip";
import { Ruler } from "./Ruler";
import { placedOf } from "../state/lookups";
import { ThreadLane } from "./ThreadLane";
import { Lane } from "./Lane";
import { CheckLane } from "./CheckLane";
import { Settled } from "../state/types";
import { useStripZoom } from "./zoom";

/** What has a lane: an outline or a pane, a pane's pieces, or a carrier. */
type AnyLane =
  | (LaneOf & { folds?: boolean })
  | { pane: Pane; element: string; name: string }
  | { carrier: Carrier; element: string; name: string };

const LABEL = 150;
const RULER = 24;
/** Play, loop, scrub, and a lane with stitches for each cover and pane. */
export function FrameStrip() {
  const b = useSettled();
  const track = useRef<HTMLDivElement>(null);
  const list = useRef<HTMLDivElement>(null);
  const high = useSizes((s) => s.sizes.strip);
  const [width, setWidth] = useState(800);
  useEffect(() => {
    const observer = new ResizeObserver(([entry]) => setWidth(entry!.contentRect.width));
    observer.observe(track.current!);
    return () => observer.disconnect();
  }, []);
  const { plate } = b.shot!;
  const { zoom, left } = useStripZoom(track, width, plate);
  const scale: Scale = { first: plate.first, count: plate.count, width: width * zoom };
  const perFrame = scale.width / scale.count;
  const seenFrames = [
    Math.max(Math.floor((left - 60) / perFrame), 0),
    Math.min(Math.ceil((left + width + 60) / perFrame), scale.count - 1),
  ] as const;
  const shifted = { width: scale.width, transform: left ? `translateX(${-left}px)` : undefined };
  const things = inDepth(b);
  const unfolded = things.filter(
    (t) => t.kind !== "cover" || !groupOf(b, t as Cover)?.folded || t.id === b.selected,
  );
  const threads = carriersOf(b).map((carrier) => ({ carrier, element: carrier.id, name: carrier.name }));
  const folded = useFolds((f) => f.folded);
  const drawn = unfolded.flatMap((thing) => lanesOf(thing, folded.has(thing.id)));
  const lanes: AnyLane[] = [...drawn, ...threads];
  // Only lanes that can be seen are drawn: with hundreds of outlines the rest would cost more than all else.
  const rows = useVirtualizer({
    count: lanes.length,
    getScrollElement: () => list.current,
    estimateSize: () => LANE,
    overscan: 3,
  }).getVirtualItems();
  const above = rows[0]?.index ?? 0;
  const seen = rows.flatMap(({ index }) => lanes[index] ?? []);
  const checks = checksOf(b, carrierOf(b, b.selected));
  return (
    <section className="relative border-t border-line" aria-label="Frame strip">
      <Grip
        name="strip"
        label="Height of the strip"
        grows="up"
        least={92}
        most={520}
        measured={() => list.current!.offsetHeight}
      />
      <Transport />
      <div
        ref={list}
        className={`flex min-h-[92px] overflow-y-auto pb-2 select-none ${high ? "" : "max-h-44"}`}
        style={high ? { height: `min(${high}px, 60vh)` } : undefined}
      >
        <div
          className="shrink-0 pt-6"
          style={{ width: LABEL, paddingTop: RULER + above * LANE, height: RULER + lanes.length * LANE }}
        >
          {seen.map((lane) => (
            <div key={lane.element} className="relative" style={{ height: LANE }}>
              <button
                type="button"
                className={`block h-full w-full truncate pr-2 pl-6 text-left text-[13px] ${lane.element === b.active ? "bg-teal-soft font-semibold" : "hover:bg-cloth-sunk"}`}
                onClick={() =>
                  "thing" in lane
                    ? select(lane.thing.id, lane.element)
                    : select("pane" in lane ? lane.pane.id : lane.element)
                }
              >
                {lane.name}
                {"thing" in lane && <Rides b={b} element={lane.element} />}
              </button>
              {"thing" in lane && lane.folds && (
                <FoldButton thing={lane.thing} folded={folded.has(lane.thing.id)} />
              )}
            </div>
          ))}
        </div>
        <div
          ref={track}
          className={`relative mr-4 min-w-0 flex-1 select-none ${zoom > 1 ? "overflow-x-clip" : ""}`}
          style={{ height: RULER + lanes.length * LANE }}
          data-testid="strip"
          data-zoom={zoom.toFixed(2)}
        >
          <div className="relative h-full" style={shifted}>
            <Ruler scale={scale} seen={seenFrames} />
            <Pins b={b} scale={scale} />
            <div style={{ height: above * LANE }} />
            {seen.map((lane) =>
              "carrier" in lane ? (
                <ThreadLane key={lane.element} b={b} scale={scale} carrier={lane.carrier} />
              ) : "pane" in lane ? (
                <PieceLane key={lane.element} pane={lane.pane} scale={scale} />
              ) : (
                <Lane key={lane.element} b={b} scale={scale} {...lane} />
              ),
            )}
            <Playhead scale={scale} />
          </div>
        </div>
      </div>
      {checks && (
        <div className="flex pb-1">
          <p className="shrink-0 pt-1 pl-6 text-[12px] leading-[18px]" style={{ width: LABEL }}>
            <span className="block text-teal">━ Slip, px</span>
            <span className="block text-ink-soft">╌ Jitter, px</span>
          </p>
          <div className={`relative mr-4 min-w-0 flex-1 ${zoom > 1 ? "overflow-x-clip" : ""}`}>
            <div style={shifted}>
              <CheckLane scale={scale} checks={checks} />
            </div>
          </div>
        </div>
      )}
    </section>
  );
}

/** The lanes of a cover's outlines, or of a pane and its pieces; folded to the first one. */
function lanesOf(thing: Thing, folded: boolean): AnyLane[] {
  const parts = partsOf(thing);
  const lanes: AnyLane[] = parts.map((id, i) => ({
    thing,
    element: id,
    name: parts.length > 1 ? `${thing.name}, ${i + 1}` : thing.name,
  }));
  const pane = thing.kind === "pane" ? (thing as Pane) : null;
  if (pane?.pieces.length)
    lanes.push({
      pane,
      element: `${pane.id} pieces`,
      name: parts.length ? "Pieces" : `${pane.name}, pieces`,
    });
  if (lanes.length < 2) return lanes;
  const first = { ...lanes[0]!, folds: true } as AnyLane;
  return folded ? [{ ...first, name: thing.name }] : [first, ...lanes.slice(1)];
}

/** Folds all lanes of a thing to its first, or unfolds them. */
function FoldButton({ thing, folded }: { thing: Thing; folded: boolean }) {
  const Sign = folded ? ChevronRight : ChevronDown;
  return (
    <button
      type="button"
      aria-label={`Lanes of ${thing.name}`}
      aria-expanded={!folded}
      title={folded ? "Unfold its lanes" : "Fold its lanes"}
      className="absolute inset-y-0 left-0 flex w-6 items-center justify-center text-ink-soft hover:text-ink"
      onClick={() => turnFold(thing.id)}
    >
      <Sign size={13} />
    </button>
  );
}

/** What an outline or a pane rides on, beside its name on the lane. */
function Rides({ b, element }: { b: Settled; element: string }) {
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

/** The frame that is looked at, over all lanes. */
function Playhead({ scale }: { scale: Scale }) {
  const frame = useFrame();
  return (
    <div
      className="pointer-events-none absolute top-0 bottom-0 w-px bg-ink"
      style={{ left: toX(scale, frame) }}
      data-testid="playhead"
    >
      <span className="absolute top-0 -translate-x-1/2 rounded-[4px] bg-ink px-1.5 text-[12px] leading-[18px] text-cloth">
        {frame}
      </span>
    </div>
  );
}

/** A pin at each frame that needs a look; its height is how badly. For the hand that points only: W goes there, too. */
function Pins({ b, scale }: { b: Settled; scale: Scale }) {
  return useDoubts(b).map(({ frame, need, about }) => (
    <span
      key={frame}
      aria-hidden
      title={`Frame ${frame} needs a look  (W goes to the worst)`}
      data-testid="pin"
      data-frame={frame}
      className="absolute top-0 w-[7px] -translate-x-1/2 cursor-pointer"
      style={{ left: toX(scale, frame), height: 6 + 12 * need }}
      onClick={() => goToDoubt(frame, about)}
    >
      <span className="absolute inset-x-[3px] top-1 bottom-0 bg-marigold" />
      <span className="absolute top-0 left-0 size-[7px] rounded-full bg-marigold" />
    </span>
  ));
}
