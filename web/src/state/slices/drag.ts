import type { PointKind, Starters } from "../../api/client";
import type { Shape } from "../../shapes/shape";
import type { RegionOf } from "./selection";

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

/** Shapes that are shown before they are kept or dropped. */
export interface Proposal {
  kind: "snap" | "carry" | "thin" | "differing";
  element: string;
  shapes: Record<number, Shape>;
  sure: Record<number, number>;
  /** By how much thinning out may change a frame, in pixels. */
  tolerance?: number;
  /** Frames that are to be kept; a carried frame can be left out. */
  kept: ReadonlySet<number>;
  text: string;
  /** Segments of a frame's shape that are to be looked at. */
  doubtful?: Record<number, number[]>;
  /** How badly such frames need a look, 0 to 1. */
  needs?: Record<number, number>;
  /** The worst of them on the first such frame. */
  lost?: { at: [number, number]; frames: number[] } | null;
  /** Carrying on that is still going on, and adds to it. */
  going?: object;
}

/** A point of a carrier that is being dragged, or whose squares are. */
export interface PointDrag {
  carrier: string;
  point: string;
  place?: [number, number];
  pattern?: number;
  search?: number;
}

/** A box or a loop that is being drawn to choose what lies in it, in pixels of the viewer. */
export type SelectionBox =
  { x0: number; y0: number; x1: number; y1: number } | { loop: [number, number][] } | null;

/** What the hand is doing, and what is shown until it is kept or dropped. */
export interface DragSlice {
  drag: Drag | null;
  draft: Draft | null;
  pointDrag: PointDrag | null;
  regionDrag: (RegionOf & { shape: Shape }) | null;
  /** The turning point while it is dragged for the first time. */
  pivotDrag: [number, number] | null;
  selectionBox: SelectionBox;
  proposal: Proposal | null;
  fitting: Fitting | null;
  /** Covers to begin with that are proposed on a frame, and which of them are taken in. */
  starting: (Starters & { kept: ReadonlySet<number> }) | null;
}

export const DRAG: DragSlice = {
  drag: null,
  draft: null,
  pointDrag: null,
  regionDrag: null,
  pivotDrag: null,
  selectionBox: null,
  proposal: null,
  fitting: null,
  starting: null,
};
