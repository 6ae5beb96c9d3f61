import type { Thing } from "../api/client";

export const LANE = 24;
/** Frames to pixels of the strip and back. */
export interface Scale {
  first: number;
  count: number;
  width: number;
}

/** A lane: the keys of an outline of a cover, or of a pane. */
export interface LaneOf {
  thing: Thing;
  element: string;
  name: string;
}

export const toX = (s: Scale, frame: number) => ((frame - s.first + 0.5) / s.count) * s.width;
export const edgeX = (s: Scale, frame: number) => ((frame - s.first) / s.count) * s.width;
export const toFrame = (s: Scale, x: number) =>
  Math.min(Math.max(Math.floor((x / s.width) * s.count), 0), s.count - 1) + s.first;
