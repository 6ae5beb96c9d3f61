import { create } from "zustand";

/** Runs of frames (first and last) whose pictures are rendered, in the look that is shown. */
export const useReady = create<{ runs: [number, number][] }>(() => ({ runs: [] }));
