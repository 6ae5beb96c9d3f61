import { toast } from "sonner";

import { api, data, say, type Job } from "../api/client";
import { bench, setBench } from "../state/bench";
import { lastFrame } from "../state/plate";

/** Propose that what differs from a pane's clean picture, or from the clean plate, stays in front on all frames. */
export function proposeDiffering(pane: string | null) {
  const { shot } = bench();
  if (!shot) return;
  const { first } = shot.plate;
  const all = Array.from({ length: lastFrame(shot.plate) - first + 1 }, (_, i) => first + i);
  setBench({
    proposal: {
      kind: "differing",
      element: pane ?? "",
      shapes: {},
      sure: {},
      kept: new Set(all),
      text: "",
    },
    fitting: null,
    starting: null,
  });
}

/** Leave all frames before or after one out of what is proposed. */
export function leaveOut(side: "before" | "after", frame: number) {
  const { proposal } = bench();
  if (proposal?.kind !== "differing") return;
  const kept = [...proposal.kept].filter((f) => (side === "before" ? f >= frame : f <= frame));
  setBench({ proposal: { ...proposal, kept: new Set(kept) } });
}

/** Keep it: a job of some seconds, whose result comes as one edit. */
export async function keepDiffering(form: "matte" | "outlines") {
  const { shot, proposal } = bench();
  if (!shot || proposal?.kind !== "differing") return;
  if (proposal.kept.size === 0) return setBench({ proposal: null });
  try {
    await data<Job>(
      api.POST("/api/shots/{shot_id}/differing", {
        params: { path: { shot_id: shot.id } },
        body: { pane: proposal.element || null, frames: [...proposal.kept], form },
      }),
    );
    setBench({ proposal: null });
    toast("It is being worked out on every frame that is kept; it comes by itself.");
  } catch (error) {
    say(error);
  }
}
