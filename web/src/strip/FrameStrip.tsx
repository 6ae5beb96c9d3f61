import { useVirtualizer } from "@tanstack/react-virtual";
import { useEffect, useRef, useState } from "react";
import { select, useFrame, useSettled } from "../state/bench";
import { LANE, LaneOf, Scale, toX } from "./scale";
import { groupOf, inDepth, outlineOf, partsOf } from "../state/lookups";
import { Cover } from "../api/client";
import { goToDoubt } from "../commands/reviewing";
import { carrierOf, carriersOf, doubts } from "../state/carriers";
import { checksOf } from "../state/checks";
import { Transport } from "./Transport";
import { Ruler } from "./Ruler";
import { placedOf } from "../state/lookups";
import { ThreadLane } from "./ThreadLane";
import { Lane } from "./Lane";
import { CheckLane } from "./CheckLane";
import { Settled } from "../state/types";
import { useStripZoom } from "./zoom";

const LABEL = 150;
const RULER = 24;
/** Play, loop, scrub, and a lane with stitches for each cover and pane. */
export function FrameStrip() {
  const b = useSettled();
  const track = useRef<HTMLDivElement>(null);
  const list = useRef<HTMLDivElement>(null);
  const [width, setWidth] = useState(800);
  useEffect(() => {
    const observer = new ResizeObserver(([entry]) => setWidth(entry!.contentRect.width));
    observer.observe(track.current!);
    return () => observer.disconnect();
  }, []);
  const { plate } = b.shot!;
  const { zoom, left } = useStripZoom(track, width, plate);
  const scale: Scale = { first: plate.first, count: plate.count, width: width * zoom };
  const shifted = { width: scale.width, transform: left ? `translateX(${-left}px)` : undefined };
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
    <section className="border-t border-line" aria-label="Frame strip">
      <Transport />
      <div ref={list} className="flex max-h-44 min-h-[92px] overflow-y-auto pb-2 select-none">
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
          className={`relative mr-4 min-w-0 flex-1 select-none ${zoom > 1 ? "overflow-x-clip" : ""}`}
          style={{ height: RULER + lanes.length * LANE }}
          data-testid="strip"
          data-zoom={zoom.toFixed(2)}
        >
          <div className="relative h-full" style={shifted}>
            <Ruler scale={scale} />
            <Pins b={b} scale={scale} />
            <div style={{ height: above * LANE }} />
            {seen.map((lane) =>
              "carrier" in lane ? (
                <ThreadLane key={lane.element} b={b} scale={scale} carrier={lane.carrier} />
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
          <p className="shrink-0 pt-1 pl-4 text-[12px] leading-[18px]" style={{ width: LABEL }}>
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
  return doubts(b).map(({ frame, need, about }) => (
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
