import type { Carrier, Doubt } from "../api/client";
import type { Has } from "./types";

/** How well the chosen carrier's motion holds, in pixels: a number for each frame of the plate. */
export interface Checks {
  /** The very state of the carrier that was measured. */
  of: Carrier;
  first: number;
  jitter: (number | null)[];
  removed: (number | null)[];
  /** undefined: not measured yet; null: not enough is seen. */
  slip: (number | null | undefined)[];
  /** From how many pixels on a frame needs a look, and the frames that do. */
  notable: number;
  doubts: Doubt[];
}

/** The measured numbers of a carrier, where they belong to its state now. */
export function checksOf(b: Has<"checks">, carrier: Carrier | null): Checks | null {
  return carrier && b.checks?.of === carrier ? b.checks : null;
}

/** The frame with the largest number, and that number; null where none is known. */
export function worstOf(first: number, values: (number | null | undefined)[]): [number, number] | null {
  let worst: [number, number] | null = null;
  values.forEach((value, i) => {
    if (value != null && (!worst || value > worst[1])) worst = [first + i, value];
  });
  return worst;
}
