import type { Doubt, Nearness, Run, SolvedFrame, Subject } from "../../api/client";
import type { Checks } from "../checks";

/** What was measured, what is being solved, and which frames need a look. */
export interface ChecksSlice {
  checks: Checks | null;
  /** Frames on which garbage comes close to a subject, and the revision that was looked through. */
  near: { of: Subject; revision: number; found: Nearness[]; doubts: Doubt[] } | null;
  /** What is being solved, as it comes in frame by frame, for each carrier. */
  solving: Record<string, Record<number, SolvedFrame>>;
  /** Frames of each carrier that need a look, and runs of them, as the server says. */
  doubts: Record<string, { doubts: Doubt[]; runs: Run[] }>;
}

export const CHECKS: ChecksSlice = { checks: null, near: null, solving: {}, doubts: {} };
