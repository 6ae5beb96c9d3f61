import { useBench } from "../state/bench";
import { doubts } from "../state/carriers";
import type { Settled } from "../state/types";

/** Frames that need a look, the worst first; what is proposed and not kept yet counts as well. */
export function useDoubts(b: Settled) {
  const proposal = useBench((now) => now.proposal);
  return doubts({ ...b, proposal });
}
