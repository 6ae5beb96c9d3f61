import { create } from "zustand";
import { useShallow } from "zustand/react/shallow";

import type { Element, ShotChange, ShotState } from "../api/client";
import { unpack } from "../shapes/shape";
import { isPlaced, outlineOf } from "./lookups";
import { lastFrame } from "./plate";
import { Depth, EMPTY, type Bench, type Settled } from "./types";
import { CHECKS } from "./slices/checks";
import { DOCUMENT, type DocumentSlice } from "./slices/document";
import { LOOKS_AT_FIRST } from "./slices/looks";
import { REVIEW } from "./slices/review";
import { SELECTION } from "./slices/selection";
import { TOOLS } from "./slices/tools";

export const useBench = create<Bench>(() => EMPTY);
export const bench = useBench.getState;
export const setBench = useBench.setState;

/** A hook that gives some slices of the bench, and draws anew only when one of theirs has changed. */
function hookOf<S extends Partial<Bench>>(...slices: Partial<S>[]): () => S {
  const names = slices.flatMap((slice) => Object.keys(slice)) as (keyof S & keyof Bench)[];
  const pick = (b: Bench) => Object.fromEntries(names.map((name) => [name, b[name]])) as unknown as S;
  return () => useBench(useShallow(pick));
}

export const useDocument = hookOf<DocumentSlice>(DOCUMENT);
export const useDepth = hookOf<Depth>(DOCUMENT, SELECTION, LOOKS_AT_FIRST);
export const useSettled = hookOf<Settled>(SELECTION, DOCUMENT, CHECKS, REVIEW, LOOKS_AT_FIRST, TOOLS);
/** The frame that is looked at, for what shows it. */
export const useFrame = () => useBench((b) => b.frame);

/** Start with a shot as the server sent it; keeps frame and selection where they still make sense. */
export function adopt(state: ShotState, label = "") {
  const old = bench();
  const same = old.shot?.id === state.id;
  const tracks = Object.fromEntries(Object.entries(state.geometry).map(([id, g]) => [id, unpack(g)]));
  const keep = same && old.selected !== null && old.selected in state.elements;
  setBench({
    ...(same ? {} : EMPTY),
    shot: state,
    tracks,
    versions: new Int32Array(state.plate.count).fill(state.revision),
    adopted: state.revision,
    touched: {},
    label,
    frame: same ? old.frame : state.plate.first,
    selected: keep ? old.selected : null,
    active: keep && old.active !== null && old.active in state.elements ? old.active : null,
    points: keep && pointsStay(old, state) ? old.points : new Set(),
    also: new Set([...old.also].filter((id) => id in state.elements)),
    solo: new Set([...old.solo].filter((id) => id in state.elements)),
    solving: {},
    drag: null,
  });
}

/** Whether the active outline still has the points it had. */
function pointsStay(old: Bench, state: ShotState): boolean {
  const before = outlineOf(old, old.active);
  const now = old.active === null ? undefined : state.elements[old.active];
  return before !== null && now?.kind === "outline" && now.kinds.length === before.kinds.length;
}

/** Take in what an edit changed. What the hand has made of an element that a further edit waits for stays as it is. */
export function absorb(change: ShotChange, awaited: string[] = []) {
  const { shot, tracks, versions, touched, selected, active, drag } = bench();
  // An answer to a page that has moved on meanwhile is none for it: what it holds is older, or not all there is.
  if (!shot || change.since > shot.revision || change.revision < shot.revision) return;
  const elements = { ...shot.elements };
  const nextTracks = { ...tracks };
  for (const [id, element] of Object.entries(change.elements)) {
    if (element) elements[id] = element;
    else {
      delete elements[id];
      delete nextTracks[id];
    }
  }
  for (const [id, geometry] of Object.entries(change.geometry)) nextTracks[id] = unpack(geometry);
  const nextVersions = Int32Array.from(versions);
  if (change.frames) {
    const first = shot.plate.first;
    nextVersions.fill(change.revision, change.frames[0] - first, change.frames[1] - first + 1);
  }
  const still = selected !== null && selected in elements;
  setBench({
    shot: { ...shot, elements, revision: change.revision, undo: change.undo, redo: change.redo },
    tracks: nextTracks,
    versions: nextVersions,
    touched: {
      ...touched,
      ...Object.fromEntries(Object.keys(change.elements).map((id) => [id, change.revision])),
    },
    label: change.label,
    selected: still ? selected : null,
    active:
      still && active !== null && active in elements ? active : still ? firstTrack(elements, selected) : null,
    pointDrag: null,
    drag: drag && drag.element in change.elements && !awaited.includes(drag.element) ? null : drag,
    solving: without(bench().solving, Object.keys(change.elements)),
    keys: keysThatStay(elements),
  });
}

/** The chosen keys that are still there, so that what is tried on them one after the other goes to the same ones. */
function keysThatStay(elements: Record<string, Element>): Bench["keys"] {
  const { keys } = bench();
  const element = keys && elements[keys.element];
  if (!element || !("keys" in element) || !element.keys) return null;
  const there = element.keys.map((k) => k.frame).filter((f) => keys.frames.has(f));
  return there.length ? { element: keys.element, frames: new Set(there) } : null;
}

function without<T>(all: Record<string, T>, ids: string[]): Record<string, T> {
  return Object.fromEntries(Object.entries(all).filter(([id]) => !ids.includes(id)));
}

function firstTrack(elements: Record<string, Element>, selected: string | null): string | null {
  const element = selected === null ? undefined : elements[selected];
  if (element?.kind === "pane" || element?.kind === "carrier") return element.id;
  if (element?.kind === "subject") return isPlaced(element) ? element.id : null;
  return element?.kind === "cover" ? (element.outlines[0] ?? null) : null;
}

/** Select a cover, a pane, or nothing. */
export function select(id: string | null, outline?: string) {
  const { shot, selected, active, choices } = bench();
  const next = outline ?? (shot ? firstTrack(shot.elements, id) : null);
  const chosen = {
    selected: id,
    active: next,
    points: new Set<number>(),
    also: new Set<string>(),
    proposal: null,
  };
  setBench({ choices: choices + 1, ...(id === selected && next === active ? {} : chosen) });
}

/** Go to a frame; it stays within the plate. */
export function goTo(frame: number, asked = performance.now()) {
  const { shot } = bench();
  if (!shot) return;
  const first = shot.plate.first;
  setBench({ frame: Math.min(Math.max(Math.round(frame), first), lastFrame(shot.plate)), asked });
}
