import { useSortable } from "@dnd-kit/sortable";
import { CSS } from "@dnd-kit/utilities";
import { ChevronDown, ChevronRight, Eye, EyeOff, Focus, Lock, LockOpen, Ungroup } from "lucide-react";
import { memo, useCallback, useEffect, useState, type KeyboardEvent, type MouseEvent } from "react";

import type { Cover, Group, Pane, Subject, Thing } from "../api/client";
import { IconButton } from "../ui/Button";
import { TextField } from "../ui/TextField";
import { bench, select, setBench, useBench } from "../state/bench";
import { coverOf, inDepth, keyFrames, outlineOf, subjectOf } from "../state/lookups";
import { carrierOf } from "../state/carriers";
import { send } from "../commands/send";
import { keyedBy, servesAs } from "../state/subjects";
import { Depth, Has } from "../state/types";

/** A click chooses one thing; with Shift or Ctrl a cover is chosen besides. */
function pick(event: MouseEvent<HTMLElement> | KeyboardEvent, thing: Thing) {
  if (event.type === "click") (event.currentTarget as HTMLElement).blur();
  const { selected, also, choices } = bench();
  if (!(event.shiftKey || event.ctrlKey || event.metaKey) || thing.kind !== "cover" || !selected)
    return select(thing.id);
  if (thing.id === selected) return;
  const next = new Set(also);
  if (!next.delete(thing.id)) next.add(thing.id);
  setBench({ also: next, choices: choices + 1 });
}

/** Show some covers alone, besides others that are shown alone already; or no longer. */
function turnSolo(ids: string[]) {
  const { solo } = bench();
  const all = ids.every((id) => solo.has(id));
  const next = new Set(solo);
  for (const id of ids) {
    if (all) next.delete(id);
    else next.add(id);
  }
  setBench({ solo: next });
}

/** Where a row stands in the list, who measures how high it is, and who is told that it was chosen here. */
interface Place {
  index: number;
  measure: (row: Element | null) => void;
  picked: (id: string) => void;
}

/** What a press of Enter does is what a click does; Space lifts the row, as the list's keyboard sensor wants it. */
function onEnter(lift: ((event: KeyboardEvent) => void) | undefined, choose: (event: KeyboardEvent) => void) {
  return (event: KeyboardEvent<HTMLElement>) => {
    if (event.key === "Enter") choose(event);
    lift?.(event);
  };
}

/** A row that is dragged about, as its list draws it. */
function useRow(id: string, measure: Place["measure"]) {
  const { setNodeRef, attributes, listeners, transform, transition, isDragging } = useSortable({ id });
  const ref = useCallback(
    (row: HTMLLIElement | null) => {
      setNodeRef(row);
      measure(row);
    },
    [setNodeRef, measure],
  );
  const style = { transform: CSS.Translate.toString(transform), transition };
  const { onKeyDown: lift, ...others } = listeners ?? {};
  const grip = { ...attributes, ...others, "data-own-keys": true };
  return { ref, style, grip, lift: lift as ((event: KeyboardEvent) => void) | undefined, isDragging };
}

/** The head of a group: folds, shows, locks and solos all of it, and chooses all of its covers. */
export function GroupHead({ b, group, index, measure, picked }: { b: Depth; group: Group } & Place) {
  const { ref, style, grip, lift, isDragging } = useRow(group.id, measure);
  const [naming, setNaming] = useState(false);
  const members = inDepth(b).filter((t): t is Cover => t.kind === "cover" && (t as Cover).group === group.id);
  const ids = members.map((m) => m.id);
  const set = (change: Partial<Group>) => void send({ type: "set-group", group: group.id, ...change });
  const solo = ids.length > 0 && ids.every((id) => b.solo.has(id));
  const chosen = ids.includes(b.selected ?? "") && ids.every((id) => id === b.selected || b.also.has(id));
  const icon = "size-6 text-ink-soft";
  const choose = () => {
    if (!ids[0]) return;
    picked(ids[0]);
    select(ids[0]);
    setBench({ also: new Set(ids.slice(1)) });
  };
  return (
    <li
      ref={ref}
      data-index={index}
      style={style}
      className={`group/card flex items-center gap-0.5 rounded-md py-0.5 pr-0.5 pl-0.5 ${chosen ? "bg-teal-soft" : "hover:bg-cloth-sunk"} ${isDragging ? "z-10 shadow-md" : ""}`}
      data-testid={`group-${group.name}`}
    >
      <IconButton
        label={group.folded ? "Unfold" : "Fold"}
        className="size-6"
        onClick={() => set({ folded: !group.folded })}
      >
        {group.folded ? <ChevronRight size={15} /> : <ChevronDown size={15} />}
      </IconButton>
      {naming ? (
        <span className="min-w-0 flex-1" onBlur={() => setNaming(false)}>
          <TextField
            label="Group name"
            className="w-full"
            value={group.name}
            onCommit={(name) => set({ name })}
          />
        </span>
      ) : (
        <div
          {...grip}
          role="button"
          tabIndex={0}
          className="min-w-0 flex-1 cursor-pointer truncate"
          title="Click chooses all, double click or F2 renames"
          onClick={choose}
          onKeyDown={(event) => {
            if (event.key === "F2") setNaming(true);
            onEnter(lift, choose)(event);
          }}
          onDoubleClick={() => setNaming(true)}
        >
          <b>{group.name}</b>{" "}
          <span className="text-[12px] text-ink-soft">
            {ids.length} {ids.length === 1 ? "cover" : "covers"}
          </span>
        </div>
      )}
      <IconButton
        label="Take the group apart"
        className={`${icon} opacity-0 group-hover/card:opacity-100 focus:opacity-100`}
        onClick={() => void send({ type: "ungroup", group: group.id })}
      >
        <Ungroup size={14} />
      </IconButton>
      <IconButton
        label={solo ? "Solo of the group off" : "Solo of the group"}
        pressed={solo}
        className={solo ? "size-6" : `${icon} opacity-0 group-hover/card:opacity-100 focus:opacity-100`}
        onClick={() => turnSolo(ids)}
      >
        <Focus size={14} />
      </IconButton>
      <IconButton
        label={group.shown === false ? "Show the group" : "Hide the group"}
        className={icon}
        onClick={() => set({ shown: group.shown === false })}
      >
        {group.shown === false ? <EyeOff size={15} /> : <Eye size={15} />}
      </IconButton>
      <IconButton
        label={group.locked ? "Unlock the group" : "Lock the group"}
        className={icon}
        onClick={() => set({ locked: !group.locked })}
      >
        {group.locked ? <Lock size={15} className="text-ink" /> : <LockOpen size={15} />}
      </IconButton>
    </li>
  );
}

/** A cover or a pane. */
export const Card = memo(function Card(
  props: {
    thing: Thing;
    inGroup: boolean;
    chosen: boolean;
    solo: boolean;
    out: boolean;
  } & Place,
) {
  const { thing, inGroup, chosen, solo, out, index, measure, picked } = props;
  const { ref, style, grip, lift, isDragging } = useRow(thing.id, measure);
  const keys = useBench((b) => keyCount(thing, (id) => keyFrames(b, id).length));
  const rides = useBench((b) => carrierOf(b, ridesOn(b, thing))?.name);
  const serves = useBench((b) => servesAs(b, thing.id));
  const set = (change: { shown?: boolean; locked?: boolean }) =>
    void send(
      thing.kind === "cover"
        ? { type: "set-cover", cover: thing.id, ...change }
        : thing.kind === "pane"
          ? { type: "set-pane", pane: thing.id, ...change }
          : { type: "set-subject", subject: thing.id, ...change },
    );
  const choose = (event: MouseEvent<HTMLElement> | KeyboardEvent) => {
    picked(thing.id);
    pick(event, thing);
  };
  const icon = "size-6 text-ink-soft";
  return (
    <li
      ref={ref}
      data-index={index}
      style={style}
      className={`group/card flex items-center gap-0.5 rounded-md py-1 pr-0.5 pl-1.5 ${inGroup ? "ml-3" : ""} ${chosen ? "bg-teal-soft" : "hover:bg-cloth-sunk"} ${isDragging ? "z-10 shadow-md" : ""}`}
      data-testid={`card-${thing.name}`}
    >
      <div
        {...grip}
        role="button"
        tabIndex={0}
        className="flex min-w-0 flex-1 cursor-pointer items-center gap-2"
        aria-pressed={chosen}
        onClick={choose}
        onKeyDown={onEnter(lift, choose)}
      >
        <span className="h-7 w-1 shrink-0 rounded-full" style={{ background: thing.colour }} />
        <Thumbnail id={thing.id} />
        <div className={`min-w-0 ${thing.shown === false || out ? "opacity-50" : ""}`}>
          <p className="truncate leading-[18px]">{thing.name}</p>
          <p className="truncate text-[12px] leading-[15px] text-ink-soft">
            {keys}
            {rides && `, rides on ${rides}`}
            {serves && `, ${serves}`}
          </p>
        </div>
      </div>
      <IconButton
        label={solo ? "Solo off" : "Solo"}
        pressed={solo}
        className={`size-6 ${solo ? "" : "text-ink-soft opacity-0 group-hover/card:opacity-100 focus:opacity-100"}`}
        onClick={() => turnSolo([thing.id])}
      >
        <Focus size={14} />
      </IconButton>
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
});

/** The carrier that a pane, or the first outline of a cover, rides on. */
function ridesOn(b: Has<"shot">, thing: Thing): string | null {
  if (thing.kind !== "cover") return (thing as Pane).rides ?? null;
  return outlineOf(b, (thing as Cover).outlines[0] ?? null)?.rides ?? null;
}

function keyCount(thing: Thing, count: (id: string) => number): string {
  if (thing.kind === "subject") return keyedBy(thing as Subject);
  const keys =
    thing.kind === "pane" ? count(thing.id) : (thing as Cover).outlines.reduce((n, o) => n + count(o), 0);
  return `${keys} ${keys === 1 ? "key" : "keys"}${thing.kind === "pane" ? ", pane" : ""}`;
}

/** The matte of one thing at the frame where the viewer rests. */
function Thumbnail({ id }: { id: string }) {
  const shot = useBench((b) => b.shot!.id);
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
  const version = useBench((b) => {
    // What a subject looks like also depends on its core and garbage, so it counts by the frame's pictures.
    if (subjectOf(b, id)) return b.versions[frame - b.shot!.plate.first] ?? b.adopted;
    const parts = coverOf(b, id)?.outlines ?? [];
    return Math.max(b.adopted, b.touched[id] ?? 0, ...parts.map((part) => b.touched[part] ?? 0));
  });
  return (
    <img
      loading="lazy"
      src={`/api/shots/${shot}/thumbnails/${id}/${frame}?v=${version}`}
      alt=""
      draggable={false}
      className="h-6 w-[42px] shrink-0 rounded-[3px] bg-black object-contain"
    />
  );
}
