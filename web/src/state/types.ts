import { REVIEW, type ReviewSlice } from "./slices/review";
import { CHECKS, type ChecksSlice } from "./slices/checks";
import { DOCUMENT, type DocumentSlice } from "./slices/document";
import { DRAG, type DragSlice } from "./slices/drag";
import { LOOKS_AT_FIRST, type LooksSlice } from "./slices/looks";
import { SELECTION, type SelectionSlice } from "./slices/selection";
import { TIME, type TimeSlice } from "./slices/time";
import { TOOLS, type ToolsSlice } from "./slices/tools";

/** The workbench's state, cut into slices by what changes together. */
export type Bench = TimeSlice &
  SelectionSlice &
  DocumentSlice &
  DragSlice &
  ChecksSlice &
  ReviewSlice &
  LooksSlice &
  ToolsSlice;
/** What does not change with each frame, nor with each move of the hand. */
export type Settled = SelectionSlice & DocumentSlice & ChecksSlice & ReviewSlice & LooksSlice & ToolsSlice;

/** What the list of depth shows. */
export type Depth = SelectionSlice & DocumentSlice & LooksSlice;

export const EMPTY: Bench = {
  ...TIME,
  ...SELECTION,
  ...DOCUMENT,
  ...DRAG,
  ...CHECKS,
  ...REVIEW,
  ...LOOKS_AT_FIRST,
  ...TOOLS,
};

/** Some parts of it, as a lookup needs them. */
export type Has<K extends keyof Bench> = Pick<Bench, K>;
