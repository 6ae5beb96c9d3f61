import type { Starter } from "../../shapes/starters";

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

export type Into =
  | { cover: string; mode: "adds" | "cuts" | "limits" }
  | { carrier: string | null; what: "patch" | "blind" }
  /** The pane that a key is limited to, for a subject that is made by sampling. */
  | { pane: string }
  /** The level of a pane, for which a place of the plate is picked. */
  | { depthOf: string; end: "here" | "there" }
  | { level: string; standsFor: "dark" | "light" | "grey"; shown: number }
  /** The carrier that an outline goes over to, beyond the line that is dragged across it. */
  | { joint: string };

/** Which tool is in hand, and how far what it does goes. */
export interface ToolsSlice {
  tool: ToolName;
  /** What the next drawn outline becomes: part of a cover or of a carrier (null: a new one); else a new cover. */
  into: Into | null;
  reach: Reach;
  range: Range | null;
  spaceHeld: boolean;
  /** A finger's width at the knuckle over its length, as the wheel has left it. */
  slimness: number;
}

export const TOOLS: ToolsSlice = {
  tool: "select",
  into: null,
  reach: "frame",
  range: null,
  spaceHeld: false,
  slimness: 0.3,
};
