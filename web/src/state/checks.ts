import { api, data, tell, type Carrier, type CarrierChecks, type SlipOf } from "../api/client";
import { lastFrame } from "./plate";
import { bench, setBench, type Bench } from "./bench";

/** Pixels of slip or jitter from which a frame needs a look. */
export const NOTABLE = 0.5;
/** Frames whose slip is asked for at once. */
const AT_ONCE = 12;

/** How well the chosen carrier's motion holds, in pixels: a number for each frame of the plate. */
export interface Checks {
  /** The very state of the carrier that was measured. */
  of: Carrier;
  first: number;
  jitter: (number | null)[];
  removed: (number | null)[];
  /** undefined: not measured yet; null: not enough is seen. */
  slip: (number | null | undefined)[];
}

/** Measure a carrier: jitter at once, slip a few frames at a time; what is overtaken is given up. */
export async function measure(b: Bench, carrier: Carrier) {
  const { shot } = b;
  if (!shot || b.checks?.of === carrier) return;
  const params = { path: { shot_id: shot.id, carrier: carrier.id } };
  const current = () => bench().checks?.of === carrier;
  try {
    setBench({ checks: { of: carrier, first: shot.plate.first ?? 1001, jitter: [], removed: [], slip: [] } });
    const shape = await data<CarrierChecks>(
      api.GET("/api/shots/{shot_id}/carriers/{carrier}/checks", { params }),
    );
    if (!current()) return;
    setBench({ checks: { ...bench().checks!, jitter: shape.jitter, removed: shape.removed } });
    const last = lastFrame(shot.plate);
    for (let first = shot.plate.first ?? 1001; first <= last; first += AT_ONCE) {
      const query = { first, last: Math.min(first + AT_ONCE - 1, last) };
      const part = await data<SlipOf>(
        api.GET("/api/shots/{shot_id}/carriers/{carrier}/slip", { params: { ...params, query } }),
      );
      const checks = bench().checks;
      if (!checks || checks.of !== carrier) return;
      const slip = [...checks.slip];
      part.slip.forEach((off, i) => (slip[part.first + i - checks.first] = off));
      setBench({ checks: { ...checks, slip } });
    }
  } catch (error) {
    if (current()) tell(error);
  }
}

/** The measured numbers of a carrier, where they belong to its state now. */
export function checksOf(b: Bench, carrier: Carrier | null): Checks | null {
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
