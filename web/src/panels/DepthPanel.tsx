import { Grip, useSizes } from "../ui/Grip";
import {
  DndContext,
  KeyboardSensor,
  PointerSensor,
  useSensor,
  useSensors,
  type DragEndEvent,
} from "@dnd-kit/core";
import { SortableContext, sortableKeyboardCoordinates, verticalListSortingStrategy } from "@dnd-kit/sortable";
import { defaultRangeExtractor, useVirtualizer } from "@tanstack/react-virtual";
import { Fragment, useCallback, useEffect, useRef, useState } from "react";

import type { Cover, Group, Thing } from "../api/client";
import { coverOf, groupOf, inDepth } from "../state/lookups";
import { select, setBench, useBench, useDepth } from "../state/bench";
import { Card, GroupHead } from "./DepthCards";
import { send } from "../commands/send";
import { Depth } from "../state/types";

/** Heights of a group's head and of a card before they are measured, in pixels. */
const HEAD = 28;
const CARD = 41;
/** Keys that lift a row and put it down: Enter chooses instead. */
const KEYS = { start: ["Space"], cancel: ["Escape"], end: ["Space", "Enter"] };
/** Height of what is above the list where it scrolls. */
const BELOW_LENS = 30;

/** What a row of the list shows: a group's head, or a cover, pane or subject (of a group, if `group` says so). */
type Line = { id: string; group: Group } | { id: string; thing: Thing; inGroup: boolean };

/** Covers and panes from near to far with the heads of their groups; members of a folded group are left out. */
function linesOf(b: Depth): Line[] {
  const lines: Line[] = [];
  let last: string | null = null;
  for (const thing of inDepth(b)) {
    const group = thing.kind === "cover" ? groupOf(b, thing as Cover) : null;
    if (group && group.id !== last) lines.push({ id: group.id, group });
    last = group?.id ?? null;
    if (!group?.folded) lines.push({ id: thing.id, thing, inGroup: group !== null });
  }
  return lines;
}

/** The folded group that hides a cover's card, if one does. */
function foldedIn(b: Depth, id: string | null): string | null {
  const cover = id === null ? null : coverOf(b, id);
  const group = cover ? groupOf(b, cover) : null;
  return group?.folded ? group.id : null;
}

/** The depth order after one line was dropped where another one is; a group moves as a whole. */
function reordered(b: Depth, lines: Line[], dragged: string, over: string): string[] {
  const depth = inDepth(b).map((t) => t.id);
  const membersOf = (id: string) => depth.filter((d) => groupOf(b, coverOf(b, d))?.id === id || d === id);
  const moving = membersOf(dragged);
  const down = lines.findIndex((l) => l.id === dragged) < lines.findIndex((l) => l.id === over);
  const target = membersOf(over).filter((id) => !moving.includes(id));
  const rest = depth.filter((id) => !moving.includes(id));
  if (target.length === 0) return depth;
  // Over a group's head the way down means right behind the head: before its first member.
  const head = lines.find((l) => l.id === over && "group" in l);
  const at = down && !head ? rest.indexOf(target.at(-1)!) + 1 : rest.indexOf(target[0]!);
  return [...rest.slice(0, at), ...moving, ...rest.slice(at)];
}

/** What lies before what, from the lens to the backdrop. */
export function DepthPanel() {
  const b = useDepth();
  const lines = linesOf(b);
  const sensors = useSensors(
    useSensor(PointerSensor, { activationConstraint: { distance: 5 } }),
    useSensor(KeyboardSensor, { keyboardCodes: KEYS, coordinateGetter: sortableKeyboardCoordinates }),
  );
  // What is chosen in the list itself is in sight: scrolling would only move its neighbours from under the pointer.
  const pickedHere = useRef<string | null>(null);
  const picked = useCallback((id: string) => {
    pickedHere.current = id;
  }, []);
  const scrolled = useRef<HTMLDivElement>(null);
  const panel = useRef<HTMLElement>(null);
  const high = useSizes((s) => s.sizes.depth);
  const [held, setHeld] = useState(-1);
  // Only cards that can be seen are drawn: with hundreds of covers the rest would cost more than all else.
  const list = useVirtualizer({
    count: lines.length,
    getScrollElement: () => scrolled.current,
    estimateSize: (i) => ("group" in lines[i]! ? HEAD : CARD),
    getItemKey: (i) => lines[i]!.id,
    overscan: 3,
    // The list begins below the lens, of which the virtualizer knows nothing.
    scrollPaddingEnd: BELOW_LENS,
    // What is being dragged stays, however far the list is scrolled meanwhile.
    rangeExtractor: (range) => {
      const seen = defaultRangeExtractor(range);
      return held < 0 || seen.includes(held) ? seen : [...seen, held].sort((x, y) => x - y);
    },
  });
  const rows = list.getVirtualItems();
  // What is chosen in the picture comes into sight here; in a folded group that is the group's head.
  const chosen = lines.findIndex((l) => l.id === (foldedIn(b, b.selected) ?? b.selected));
  useEffect(() => {
    if (chosen >= 0 && pickedHere.current !== b.selected) list.scrollToIndex(chosen, { align: "auto" });
    pickedHere.current = null;
    // Only a new choice scrolls, not what moves the chosen line.
    // eslint-disable-next-line react-hooks/exhaustive-deps
  }, [b.selected]);
  const reorder = ({ active, over }: DragEndEvent) => {
    setHeld(-1);
    if (!over || active.id === over.id) return;
    const depth = reordered(b, lines, String(active.id), String(over.id));
    if (inDepth(b).some((thing, i) => thing.id !== depth[i])) void send({ type: "order-depth", depth });
  };
  return (
    <section
      ref={panel}
      className={`relative flex min-h-32 flex-col border-b border-line ${high ? "shrink-0" : "max-h-[44%]"}`}
      style={high ? { height: high, maxHeight: "70%" } : undefined}
      aria-label="Depth"
    >
      <Grip
        name="depth"
        label="Height of the depth list"
        grows="down"
        least={128}
        most={900}
        measured={() => panel.current!.offsetHeight}
      />
      <h2 className="flex justify-between px-3 pt-2 pb-1 font-semibold">
        Depth
        {b.solo.size > 0 ? (
          <button
            type="button"
            className="rounded-md px-1.5 font-normal text-teal hover:bg-cloth-sunk"
            title="Show everything again"
            onClick={() => setBench({ solo: new Set() })}
          >
            {b.solo.size} solo, show all
          </button>
        ) : (
          <span className="font-normal text-ink-soft">near to far</span>
        )}
      </h2>
      <div ref={scrolled} className="min-h-0 flex-1 overflow-y-auto px-3 pb-2 select-none">
        <End>Lens</End>
        <ol className="ml-[6px] border-l border-dotted border-ink-soft/60 py-1 pl-2">
          <DndContext
            sensors={sensors}
            // What it says for screen readers must not stand among the list's own items.
            accessibility={{ container: document.body }}
            onDragStart={({ active }) => setHeld(lines.findIndex((l) => l.id === active.id))}
            onDragEnd={reorder}
            onDragCancel={() => setHeld(-1)}
          >
            <SortableContext items={lines.map((l) => l.id)} strategy={verticalListSortingStrategy}>
              {rows.map((row, i) => {
                const line = lines[row.index]!;
                const gap = row.start - (rows[i - 1]?.end ?? 0);
                const place = { index: row.index, measure: list.measureElement, picked };
                return (
                  <Fragment key={line.id}>
                    {gap > 0 && <li aria-hidden style={{ height: gap }} />}
                    {"group" in line ? (
                      <GroupHead b={b} group={line.group} {...place} />
                    ) : (
                      <Card
                        {...place}
                        thing={line.thing}
                        inGroup={line.inGroup}
                        chosen={line.id === b.selected || b.also.has(line.id)}
                        solo={b.solo.has(line.id)}
                        out={b.solo.size > 0 && !b.solo.has(line.id)}
                      />
                    )}
                  </Fragment>
                );
              })}
              <li aria-hidden style={{ height: list.getTotalSize() - (rows.at(-1)?.end ?? 0) }} />
            </SortableContext>
          </DndContext>
          {lines.length === 0 && (
            <li className="py-1 pl-1 text-ink-soft">
              Nothing lies before the plate yet. P draws a cover, N places a pane, Y keys a subject.
            </li>
          )}
          <PlateCard />
        </ol>
        <End>Backdrop</End>
      </div>
    </section>
  );
}

function End({ children }: { children: string }) {
  return (
    <p className="flex items-center gap-2 text-[13px] leading-4 text-ink-soft">
      <span className="size-3 rounded-[4px] border-[1.5px] border-ink-soft" /> {children}
    </p>
  );
}

function PlateCard() {
  const shot = useBench((b) => b.shot!);
  const chosen = useBench((b) => b.selected === null);
  return (
    <li>
      <button
        type="button"
        aria-pressed={chosen}
        className={`mt-0.5 flex w-full cursor-pointer items-center gap-2 rounded-md py-1 pr-1 pl-1.5 text-left ${chosen ? "bg-teal-soft" : "hover:bg-cloth-sunk"}`}
        onClick={() => select(null)}
      >
        <span className="h-7 w-1 shrink-0 rounded-full bg-ink-soft" />
        <img
          src={`/api/clips/${shot.plate.media}/proxy/0.jpg`}
          alt=""
          draggable={false}
          className="h-6 w-[42px] shrink-0 rounded-[3px] object-cover"
        />
        <div className="min-w-0">
          <p className="leading-[18px]">Plate</p>
          <p className="text-[12px] leading-[15px] text-ink-soft">
            {shot.plate.width} x {shot.plate.height}
          </p>
        </div>
      </button>
    </li>
  );
}
