import { DndContext, PointerSensor, useSensor, useSensors, type DragEndEvent } from "@dnd-kit/core";
import { arrayMove, SortableContext, useSortable, verticalListSortingStrategy } from "@dnd-kit/sortable";
import { CSS } from "@dnd-kit/utilities";
import { Eye, EyeOff, Lock, LockOpen } from "lucide-react";
import { useEffect, useState } from "react";

import type { Cover, Edit, Pane } from "../../api/client";
import { IconButton } from "../../ui/Button";
import { bench, inDepth, keyFrames, select, useBench } from "./bench";
import { send } from "./send";

/** What lies before what, from the lens to the backdrop. */
export function DepthPanel() {
  const b = useBench();
  const things = inDepth(b);
  const sensors = useSensors(useSensor(PointerSensor, { activationConstraint: { distance: 5 } }));
  const reorder = ({ active, over }: DragEndEvent) => {
    if (!over || active.id === over.id) return;
    const ids = things.map((t) => t.id);
    const depth = arrayMove(ids, ids.indexOf(String(active.id)), ids.indexOf(String(over.id)));
    void send({ type: "order-depth", depth });
  };
  return (
    <section className="flex max-h-[52%] min-h-32 flex-col border-b border-line" aria-label="Depth">
      <h2 className="flex justify-between px-3 pt-2 pb-1 font-semibold">
        Depth <span className="font-normal text-ink-soft">near to far</span>
      </h2>
      <div className="min-h-0 flex-1 overflow-y-auto px-3 pb-2">
        <End>Lens</End>
        <ol className="ml-[6px] border-l border-dotted border-ink-soft/60 py-1 pl-2">
          <DndContext sensors={sensors} onDragEnd={reorder}>
            <SortableContext items={things.map((t) => t.id)} strategy={verticalListSortingStrategy}>
              {things.map((thing) => (
                <Card key={thing.id} thing={thing} chosen={thing.id === b.selected} />
              ))}
            </SortableContext>
          </DndContext>
          {things.length === 0 && (
            <li className="py-1 pl-1 text-ink-soft">
              Nothing lies before the plate yet. P draws a cover, N places a pane.
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

function Card({ thing, chosen }: { thing: Cover | Pane; chosen: boolean }) {
  const { setNodeRef, attributes, listeners, transform, transition, isDragging } = useSortable({
    id: thing.id,
  });
  const keys = useBench((b) => keyCount(thing, (id) => keyFrames(b, id).length));
  const set = (change: { shown?: boolean; locked?: boolean }) =>
    void send(
      (thing.kind === "pane"
        ? { type: "set-pane", pane: thing.id, ...change }
        : { type: "set-cover", cover: thing.id, ...change }) as Edit,
    );
  const icon = "size-7 text-ink-soft";
  return (
    <li
      ref={setNodeRef}
      style={{ transform: CSS.Translate.toString(transform), transition }}
      className={`flex items-center gap-2 rounded-md py-1 pr-1 pl-1.5 ${chosen ? "bg-teal-soft" : "hover:bg-cloth-sunk"} ${isDragging ? "z-10 shadow-md" : ""}`}
      data-testid={`card-${thing.name}`}
    >
      <div
        {...attributes}
        {...listeners}
        className="flex min-w-0 flex-1 cursor-pointer items-center gap-2"
        aria-pressed={chosen}
        onClick={() => select(thing.id)}
      >
        <span className="h-7 w-1 shrink-0 rounded-full" style={{ background: thing.colour }} />
        <Thumbnail id={thing.id} />
        <div className={`min-w-0 ${thing.shown === false ? "opacity-50" : ""}`}>
          <p className="truncate leading-[18px]">{thing.name}</p>
          <p className="text-[12px] leading-[15px] text-ink-soft">{keys}</p>
        </div>
      </div>
      <IconButton
        label={thing.shown === false ? "Show" : "Hide"}
        className={icon}
        onClick={() => set({ shown: thing.shown === false })}
      >
        {thing.shown === false ? <EyeOff size={15} /> : <Eye size={15} />}
      </IconButton>
      <IconButton
        label={thing.locked ? "Unlock" : "Lock"}
        className={icon}
        onClick={() => set({ locked: !thing.locked })}
      >
        {thing.locked ? <Lock size={15} className="text-ink" /> : <LockOpen size={15} />}
      </IconButton>
    </li>
  );
}

function keyCount(thing: Cover | Pane, count: (id: string) => number): string {
  const keys =
    thing.kind === "pane" ? count(thing.id) : (thing.outlines ?? []).reduce((n, o) => n + count(o), 0);
  return `${keys} ${keys === 1 ? "key" : "keys"}${thing.kind === "pane" ? ", pane" : ""}`;
}

/** The matte of one thing at the frame where the viewer rests. */
function Thumbnail({ id }: { id: string }) {
  const shot = useBench((b) => b.shot!);
  const [frame, setFrame] = useState(bench().frame);
  useEffect(() => {
    let timer = 0;
    const stop = useBench.subscribe((b, before) => {
      if (b.frame === before.frame || b.playing) return;
      clearTimeout(timer);
      timer = window.setTimeout(() => setFrame(b.frame), 180);
    });
    return () => {
      stop();
      clearTimeout(timer);
    };
  }, []);
  const version = useBench((b) => b.versions[frame - (shot.plate.first ?? 1001)] ?? 0);
  return (
    <img
      src={`/api/shots/${shot.id}/thumbnails/${id}/${frame}?v=${version}`}
      alt=""
      draggable={false}
      className="h-6 w-[42px] shrink-0 rounded-[3px] bg-black object-contain"
    />
  );
}

function PlateCard() {
  const shot = useBench((b) => b.shot!);
  const chosen = useBench((b) => b.selected === null);
  return (
    <li
      className={`mt-0.5 flex cursor-pointer items-center gap-2 rounded-md py-1 pr-1 pl-1.5 ${chosen ? "bg-teal-soft" : "hover:bg-cloth-sunk"}`}
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
    </li>
  );
}
