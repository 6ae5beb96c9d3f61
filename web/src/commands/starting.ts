import { toast } from "sonner";

import { api, data, say, type Starters } from "../api/client";
import { bench, goTo, setBench } from "../state/bench";
import { make } from "./send";
import { takeTool } from "./tools";

/** Look for covers to begin with on this frame; they are shown first, and kept or dropped. */
export async function proposeStarters() {
  const { shot, frame } = bench();
  if (!shot) return;
  takeTool("select");
  const waiting = toast.loading("Looking for hands, and for what passes …");
  try {
    const found = await data<Starters>(
      api.GET("/api/shots/{shot_id}/starters/{frame}", { params: { path: { shot_id: shot.id, frame } } }),
    );
    if (!found.starters.length) toast(`${found.words} Draw the cover by hand; nothing was changed.`);
    else {
      if (bench().frame !== frame) goTo(frame);
      const likely = found.starters.flatMap((s, i) => (s.likely ? [i] : []));
      setBench({ starting: { ...found, kept: new Set(likely) }, proposal: null, fitting: null });
    }
  } catch (error) {
    say(error);
  } finally {
    toast.dismiss(waiting);
  }
}

/** Take one of the proposed covers in, or leave it out. */
export function turnStarter(index: number) {
  const { starting } = bench();
  if (!starting) return;
  const kept = new Set(starting.kept);
  if (!kept.delete(index)) kept.add(index);
  setBench({ starting: { ...starting, kept } });
}

/** Keep the proposed covers that are taken in: one edit, so one undo takes them back. */
export async function keepStarters() {
  const { starting } = bench();
  if (!starting) return;
  const covers = starting.starters
    .filter((_, i) => starting.kept.has(i))
    .map(({ name, outline }) => ({ name, outline }));
  setBench({ starting: null });
  if (covers.length) await make({ type: "add-covers", frame: starting.frame, covers });
}
