/** A patch or a blind spot of a carrier. */
export interface RegionOf {
  carrier: string;
  what: "patch" | "blind";
  index: number;
}

/** What is chosen. */
export interface SelectionSlice {
  /** The selected cover or pane, and the outline of it that is worked on (for a pane: itself). */
  selected: string | null;
  active: string | null;
  points: ReadonlySet<number>;
  keys: { element: string; frames: ReadonlySet<number> } | null;
  /** How often something was chosen. An answer that would choose what it made leaves a later choice alone. */
  choices: number;
  /** Covers chosen besides the selected one. */
  also: ReadonlySet<string>;
  /** The patch or blind spot that can be shaped on the picture. */
  shaping: RegionOf | null;
  /** Whether the chosen points (or the whole) stand in a frame by which they are moved, turned and scaled. */
  framed: boolean;
  /** Where that frame's turning point was put, and for which points. */
  turningPoint: { of: string; place: [number, number] } | null;
  /** Where pivots that were put are, by outline, frame and revision, as the server says. */
  pivots: ReadonlyMap<string, [number, number]>;
}

export const SELECTION: SelectionSlice = {
  selected: null,
  active: null,
  choices: 0,
  points: new Set(),
  keys: null,
  also: new Set(),
  shaping: null,
  framed: false,
  turningPoint: null,
  pivots: new Map(),
};
