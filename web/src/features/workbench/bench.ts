import { create } from "zustand";

import type { Cover, Element, Outline, Pane, PointKind, ShotChange, ShotState } from "../../api/client";
import { lastFrame } from "../../ui/format";
import type { Starter } from "../../viewer/starters";
import { shapeAt, unpack, type Shape, type Track } from "../../viewer/shape";

export type Look = "plate" | "matte" | "cutout" | "composite";
export type ToolName = "select" | "pen" | "freehand" | "pane" | Starter;
/** How far an edit on this frame goes. */
export type Reach = "frame" | "all" | "onward";

/** What is being dragged: shown instead of the evaluated geometry until the server has answered. */
export interface Drag {
  element: string;
  frame: number;
  shape: Shape;
}

/** An outline or pane that is being drawn. */
export interface Draft {
  kind: "pen" | "freehand" | "pane" | "starter";
  points: number[][];
  kinds: PointKind[];
  pointer: [number, number] | null;
}

export interface Bench {
  shot: ShotState | null;
  tracks: Record<string, Track>;
  /** For each frame, the revision since which its pictures look as they do. */
  versions: Int32Array;
  label: string;
  frame: number;
  /** Time of the event that asked for the frame, for measuring. */
  asked: number;
  playing: boolean;
  loop: [number, number] | null;
  look: Look;
  tool: ToolName;
  /** The selected cover or pane, and the outline of it that is worked on (for a pane: itself). */
  selected: string | null;
  active: string | null;
  points: ReadonlySet<number>;
  keys: { element: string; frames: ReadonlySet<number> } | null;
  drag: Drag | null;
  draft: Draft | null;
  drawingHidden: boolean;
  /** Whether the shapes of the keys before and after are shown, faint. */
  onion: boolean;
  reach: Reach;
  spaceHeld: boolean;
  /** The outline that the next pen stroke belongs to: a new cover, or this one. */
  into: { cover: string; mode: "adds" | "cuts" | "limits" } | null;
}

const EMPTY: Bench = {
  shot: null,
  tracks: {},
  versions: new Int32Array(0),
  label: "",
  frame: 1001,
  asked: 0,
  playing: false,
  loop: null,
  look: "plate",
  tool: "select",
  selected: null,
  active: null,
  points: new Set(),
  keys: null,
  drag: null,
  draft: null,
  drawingHidden: false,
  onion: false,
  reach: "frame",
  spaceHeld: false,
  into: null,
};

export const useBench = create<Bench>(() => EMPTY);
export const bench = useBench.getState;
export const setBench = useBench.setState;

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
    label,
    frame: same ? old.frame : (state.plate.first ?? 1001),
    selected: keep ? old.selected : null,
    active: keep && old.active !== null && old.active in state.elements ? old.active : null,
    points: new Set(),
    drag: null,
  });
}

/** Take in what an edit changed. */
export function absorb(change: ShotChange) {
  const { shot, tracks, versions, selected, active, drag } = bench();
  if (!shot) return;
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
    const first = shot.plate.first ?? 1001;
    nextVersions.fill(change.revision, change.frames[0] - first, change.frames[1] - first + 1);
  }
  const still = selected !== null && selected in elements;
  setBench({
    shot: { ...shot, elements, revision: change.revision, undo: change.undo, redo: change.redo },
    tracks: nextTracks,
    versions: nextVersions,
    label: change.label,
    selected: still ? selected : null,
    active:
      still && active !== null && active in elements ? active : still ? firstTrack(elements, selected) : null,
    drag: drag && drag.element in change.elements ? null : drag,
    keys: null,
  });
}

function firstTrack(elements: Record<string, Element>, selected: string | null): string | null {
  const element = selected === null ? undefined : elements[selected];
  if (element?.kind === "pane") return element.id;
  return element?.kind === "cover" ? (element.outlines?.[0] ?? null) : null;
}

/** Select a cover, a pane, or nothing. */
export function select(id: string | null, outline?: string) {
  const { shot, selected, active } = bench();
  const next = outline ?? (shot ? firstTrack(shot.elements, id) : null);
  if (id === selected && next === active) return;
  setBench({ selected: id, active: next, points: new Set() });
}

/** Go to a frame; it stays within the plate. */
export function goTo(frame: number, asked = performance.now()) {
  const { shot } = bench();
  if (!shot) return;
  const first = shot.plate.first ?? 1001;
  setBench({ frame: Math.min(Math.max(Math.round(frame), first), lastFrame(shot.plate)), asked });
}

export function coverOf(b: Bench, id: string | null): Cover | null {
  const found = id === null ? undefined : b.shot?.elements[id];
  return found?.kind === "cover" ? (found as Cover) : null;
}

export function outlineOf(b: Bench, id: string | null): Outline | null {
  const found = id === null ? undefined : b.shot?.elements[id];
  return found?.kind === "outline" ? (found as Outline) : null;
}

export function paneOf(b: Bench, id: string | null): Pane | null {
  const found = id === null ? undefined : b.shot?.elements[id];
  return found?.kind === "pane" ? (found as Pane) : null;
}

/** Covers and panes from near to far. */
export function inDepth(b: Bench): (Cover | Pane)[] {
  const settings = b.shot?.elements.settings;
  if (settings?.kind !== "settings") return [];
  return (settings.depth ?? []).flatMap((id) => {
    const element = b.shot!.elements[id];
    return element?.kind === "cover" || element?.kind === "pane" ? [element as Cover | Pane] : [];
  });
}

/** Whether a cover is there on a frame. */
export function present(cover: Cover, frame: number): boolean {
  return (cover.first == null || frame >= cover.first) && (cover.last == null || frame <= cover.last);
}

/** The shape of an outline or pane on a frame, as it is dragged or as the server evaluated it. */
export function shapeOf(b: Bench, id: string, frame: number): Shape | null {
  if (b.drag && b.drag.element === id && b.drag.frame === frame) return b.drag.shape;
  const track = b.tracks[id];
  return track ? shapeAt(track, frame) : null;
}

/** The shapes of the keys before and after a frame. */
export function neighbourKeys(b: Bench, id: string, frame: number): Shape[] {
  const frames = keyFrames(b, id);
  const before = frames.filter((f) => f < frame).at(-1);
  const after = frames.find((f) => f > frame);
  const track = b.tracks[id];
  return [before, after].flatMap((f) => (f === undefined || !track ? [] : [shapeAt(track, f)]));
}

/** Key frames of an outline or pane. */
export function keyFrames(b: Bench, id: string | null): number[] {
  const element = id === null ? undefined : b.shot?.elements[id];
  return element?.kind === "outline" || element?.kind === "pane" ? element.keys!.map((k) => k.frame) : [];
}
