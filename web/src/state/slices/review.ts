import type { FrameReview, OutlineReviewed, ShotReview } from "../../api/client";

/** How outlines were judged: what is known of the shot, and where they seem to be off on the frame that is looked at. */
export interface ReviewSlice {
  review: ShotReview | null;
  marks: (FrameReview & { revision: number }) | null;
  /** Boil and overlap of the outline that is chosen. */
  detail: (OutlineReviewed & { outline: string }) | null;
}

export const REVIEW: ReviewSlice = { review: null, marks: null, detail: null };
