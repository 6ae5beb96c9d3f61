export type Look = "plate" | "matte" | "cutout" | "composite" | "eye" | "flat";

/** Which covers a look counts: all that are shown, the chosen cover, or all that are chosen. */
export type Scope = "all" | "cover" | "chosen";
export type MatteStyle = "plain" | "tint" | "edges" | "state" | "spill";

/** How the drawing over the picture looks; `colour` null means each thing's own. */
export interface Pencil {
  opacity: number;
  width: number;
  colour: string | null;
}

/**
 * Two pictures that are compared: by a line across, beyond which the other is shown, through a place of the plate and leaning
 * by degrees; or by what they differ by, so many times brighter. The other is a look, or a version in the same look.
 */
export interface Divider {
  way: "divider" | "difference";
  gain: number;
  version: number | null;
  x: number;
  y: number;
  lean: number;
  beyond: Look;
}

/** What the viewer shows, and how. */
export interface LooksSlice {
  look: Look;
  scope: Scope;
  style: MatteStyle;
  ground: string;
  pencil: Pencil;
  drawingHidden: boolean;
  /** Whether the shapes of the keys before and after are shown, faint. */
  onion: boolean;
  divider: Divider | null;
  /** Colours that stand in for the plate, and for what panes show, in the composite. */
  standIns: { plate: string | null; insert: string | null };
  /** Whether the plate is shown instead of the look, while a key is held. */
  before: boolean;
  /** A change of a subject that is only tried, as the server wants it; the looks show it until it is kept. */
  trial: string | null;
  /** Seconds that the last solved soft edge took. */
  softEdge: number;
  /** Covers that alone are shown and counted, for this page only; empty means all. */
  solo: ReadonlySet<string>;
}

export const LOOKS_AT_FIRST: LooksSlice = {
  look: "plate",
  scope: "all",
  style: "plain",
  ground: "checks",
  pencil: { opacity: 1, width: 1.4, colour: null },
  drawingHidden: false,
  onion: false,
  before: false,
  divider: null,
  standIns: { plate: null, insert: null },
  trial: null,
  softEdge: 0,
  solo: new Set(),
};
