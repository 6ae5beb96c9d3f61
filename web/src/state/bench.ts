import { create } from "zustand";
import { useShallow } from "zustand/react/shallow";

import type {
  Element,
  Nearness,
  PointKind,
  ShotChange,
  ShotState,
  SolvedFrame,
  Subject,
} from "../api/client";
import { lastFrame } from "./plate";
import type { Checks } from "./checks";
import { isPlaced, outlineOf } from "./lookups";
import type { Starter } from "../shapes/starters";
import { unpack, type Shape, type Track } from "../shapes/shape";

export type Look = "plate" | "matte" | "cutout" | "composite" | "eye" | "flat";
export type ToolName =
  "select" | "pen" | "freehand" | "trace" | "pane" | "byhand" | "points" | "sample" | "joint" | Starter;
/** How far an edit on this frame goes. */
export type Reach = "frame" | "all" | "onward" | "range";
/** The frames that the reach "range" touches, and over how many beyond them it dies away. */
export interface Range {
  first: number;
  last: number;
  soft: number;
}
/** Which covers a look counts: all that are shown, the chosen cover, or all that are chosen. */
export type Scope = "all" | "cover" | "chosen";
export type MatteStyle = "plain" | "tint" | "edges" | "state" | "spill";

/** How the drawing over the picture looks; `colour` null means each thing's own. */
export interface Pencil {
  opacity: number;
  width: number;
  colour: string | null;
}

/** Shapes that are shown before they are kept or dropped. */
export interface Proposal {
  kind: "snap" | "carry" | "thin";
  element: string;
  shapes: Record<number, Shape>;
  sure: Record<number, number>;
  /** By how much thinning out may change a frame, in pixels. */
  tolerance?: number;
  /** Frames that are to be kept; a carried frame can be left out. */
  kept: ReadonlySet<number>;
  text: string;
  /** The part that would have run away, and the frames between which it does. */
  lost?: { at: [number, number]; frames: number[] } | null;
}

/** What is being dragged: shown instead of the evaluated geometry until the server has answered. */
export interface Drag {
  element: string;
  frame: number;
  shape: Shape;
  /** Whether it is not the hand that moves it, but a carrier that is being solved. */
  solving?: true;
}

/** An outline or pane that is being drawn. */
export interface Draft {
  kind: "pen" | "freehand" | "pane" | "starter" | "trace" | "joint";
  points: number[][];
  kinds: PointKind[];
  pointer: [number, number] | null;
  /** Where a trace was pinned to the picture. */
  anchors?: [number, number][];
}

/** A traced line, and the outline that fits it, before it is kept. */
export interface Fitting {
  line: [number, number][];
  points: number[][];
  kinds: PointKind[];
  tolerance: number;
}

export type Into =
  | { cover: string; mode: "adds" | "cuts" | "limits" }
  | { carrier: string | null; what: "patch" | "blind" }
  /** The pane that a key is limited to, for a subject that is made by sampling. */
  | { pane: string }
  /** The carrier that an outline goes over to, beyond the line that is dragged across it. */
  | { joint: string };

/** A patch or a blind spot of a carrier. */
export interface RegionOf {
  carrier: string;
  what: "patch" | "blind";
  index: number;
}

/** A point of a carrier that is being dragged, or whose squares are. */
export interface PointDrag {
  carrier: string;
  point: string;
  place?: [number, number];
  pattern?: number;
  search?: number;
}

export interface Bench {
  shot: ShotState | null;
  tracks: Record<string, Track>;
  /** For each frame, the revision since which its pictures look as they do. */
  versions: Int32Array;
  /** The revision that was loaded as a whole, and for each element the one that changed it since. */
  adopted: number;
  touched: Record<string, number>;
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
  range: Range | null;
  /** Covers chosen besides the selected one. */
  also: ReadonlySet<string>;
  /** Covers that alone are shown and counted, for this page only; empty means all. */
  solo: ReadonlySet<string>;
  scope: Scope;
  style: MatteStyle;
  ground: string;
  pencil: Pencil;
  proposal: Proposal | null;
  fitting: Fitting | null;
  /** Whether the chosen points (or the whole) stand in a frame by which they are moved, turned and scaled. */
  framed: boolean;
  spaceHeld: boolean;
  pointDrag: PointDrag | null;
  /** The patch or blind spot that can be shaped on the picture, and its shape while it is dragged. */
  shaping: RegionOf | null;
  regionDrag: (RegionOf & { shape: Shape }) | null;
  checks: Checks | null;
  /** What the next drawn outline becomes: part of a cover or of a carrier (null: a new one); else a new cover. */
  into: Into | null;
  /** A change of a subject that is only tried, as the server wants it; the looks show it until it is kept. */
  trial: string | null;
  /** Seconds that the last solved soft edge took. */
  softEdge: number;
  /** Whether the plate is shown instead of the look, while a key is held. */
  before: boolean;
  /** Frames on which garbage comes close to a subject, and the revision that was looked through. */
  near: { of: Subject; revision: number; found: Nearness[] } | null;
  /** What is being solved, as it is told frame by frame, for each carrier. */
  solving: Record<string, Record<number, SolvedFrame>>;
}

const EMPTY: Bench = {
  shot: null,
  tracks: {},
  versions: new Int32Array(0),
  adopted: 0,
  touched: {},
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
  range: null,
  also: new Set(),
  solo: new Set(),
  scope: "all",
  style: "plain",
  ground: "checks",
  pencil: { opacity: 1, width: 1.4, colour: null },
  proposal: null,
  fitting: null,
  framed: false,
  spaceHeld: false,
  pointDrag: null,
  shaping: null,
  regionDrag: null,
  checks: null,
  into: null,
  trial: null,
  before: false,
  softEdge: 0,
  near: null,
  solving: {},
};

export const useBench = create<Bench>(() => EMPTY);
/** The bench without what is being dragged, for what need not follow the hand. */
export const useSettled = () => useBench(useShallow((b): Bench => ({ ...b, drag: null })));
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
    adopted: state.revision,
    touched: {},
    label,
    frame: same ? old.frame : (state.plate.first ?? 1001),
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
  return element?.kind === "cover" ? (element.outlines?.[0] ?? null) : null;
}

/** Select a cover, a pane, or nothing. */
export function select(id: string | null, outline?: string) {
  const { shot, selected, active } = bench();
  const next = outline ?? (shot ? firstTrack(shot.elements, id) : null);
  if (id === selected && next === active) return;
  setBench({ selected: id, active: next, points: new Set(), also: new Set(), proposal: null });
}

/** Go to a frame; it stays within the plate. */
export function goTo(frame: number, asked = performance.now()) {
  const { shot } = bench();
  if (!shot) return;
  const first = shot.plate.first ?? 1001;
  setBench({ frame: Math.min(Math.max(Math.round(frame), first), lastFrame(shot.plate)), asked });
}

export * from "./lookups";
