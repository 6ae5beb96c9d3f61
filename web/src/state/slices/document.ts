import type { ShotState } from "../../api/client";
import type { Track } from "../../shapes/shape";

/** The shot as the server has said it is. */
export interface DocumentSlice {
  shot: ShotState | null;
  tracks: Record<string, Track>;
  /** For each frame, the revision since which its pictures look as they do. */
  versions: Int32Array;
  /** The revision that was loaded as a whole, and for each element the one that changed it since. */
  adopted: number;
  touched: Record<string, number>;
  label: string;
}

export const DOCUMENT: DocumentSlice = {
  shot: null,
  tracks: {},
  versions: new Int32Array(0),
  adopted: 0,
  touched: {},
  label: "",
};
