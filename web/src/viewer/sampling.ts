import { toast } from "sonner";

import { api, data, say, type Sampled } from "../api/client";
import { bench, setBench } from "../state/bench";
import { subjectOf } from "../state/lookups";
import { make, send } from "../commands/send";
import { toPlate, useView } from "../state/view";
import { pickDepth, pickLevel } from "../commands/panes";
import { Gesture, PointerAt } from "./gesture";

/** A drag over the backing: a sample for the chosen subject, or a new subject where none is chosen. */
export function beginSample(start: PointerAt): Gesture {
  return {
    move: (at) => setBench({ selectionBox: { x0: start.x, y0: start.y, x1: at.x, y1: at.y } }),
    end: (at, travelled) => {
      setBench({ selectionBox: null });
      const v = useView.getState();
      const [a, b] = [toPlate(v, start.x, start.y), toPlate(v, at.x, at.y)];
      const { into } = bench();
      if (into && "level" in into) return void pickLevel(into, (a[0] + b[0]) / 2, (a[1] + b[1]) / 2);
      if (into && "depthOf" in into) return pickDepth(into, (a[0] + b[0]) / 2, (a[1] + b[1]) / 2);
      if (!travelled)
        return void toast(
          "Drag over a part of the backing, so that its grain is evened out. Nothing was changed.",
        );
      const [x, y] = [Math.min(a[0], b[0]), Math.min(a[1], b[1])];
      void sampleBox([x, y, Math.max(Math.abs(a[0] - b[0]), 1), Math.max(Math.abs(a[1] - b[1]), 1)]);
    },
  };
}

/** Take the sample and put it into the key; what is doubtful is told. */
async function sampleBox(box: [number, number, number, number]) {
  const { shot, selected, frame, into } = bench();
  const pane = into && "pane" in into ? into.pane : null;
  const subject = pane ? null : subjectOf(bench(), selected);
  try {
    const { sample, doubt } = await data<Sampled>(
      api.POST("/api/shots/{shot_id}/samples", {
        params: { path: { shot_id: shot!.id } },
        body: { frame, box, subject: subject?.id ?? null, limited: pane !== null },
      }),
    );
    if (doubt) toast(doubt, { duration: 9000 });
    if (subject) {
      const key = { ...subject.key, samples: [...subject.key.samples, sample] };
      await send({ type: "set-subject", subject: subject.id, key });
      return;
    }
    const change = await make({ type: "add-subject", frame, sample, ...(pane ? { pane } : {}) });
    if (!change?.made) return;
    setBench({ into: null, tool: "select", look: pane ? "composite" : "matte" });
  } catch (error) {
    say(error);
  }
}
