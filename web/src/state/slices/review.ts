import type { Has } from "../types";
import type { FrameReview, OutlineReviewed, ShotReview } from "../../api/client";

/** How outlines were judged: what is known of the shot, and where they seem to be off on the frame that is looked at. */
export interface ReviewSlice {
  review: ShotReview | null;
  marks: (FrameReview & { revision: number }) | null;
  /** Boil and overlap of the outline that is chosen. */
  detail: (OutlineReviewed & { outline: string }) | null;
}

export const REVIEW: ReviewSlice = { review: null, marks: null, detail: null };

/** What was found on the frame that is looked at, if it is of the shot as it is now. */
export function marksHere({ marks, frame, shot }: Has<"marks" | "frame" | "shot">) {
  return marks?.frame === frame && marks.revision === shot?.revision ? marks : null;
}
