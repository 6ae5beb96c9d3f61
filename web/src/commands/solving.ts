import { api, data, tell, type Job, type SolvedFrame } from "../api/client";
import { solvingUnder } from "../state/riding";
import { bench, inDepth, setBench, shapeOf } from "../state/bench";

/** Take in frames that were just solved; the picture follows the newest one while its carrier is selected. */
export function watchSolving(carrier: string, places: SolvedFrame[]) {
  const { solving, selected, shot } = bench();
  const known = { ...solving[carrier] };
  for (const place of places) known[place.frame] = place;
  const found = shot?.elements[carrier];
  const at = found?.kind === "carrier" ? found.at : 0;
  const after = places.filter((p) => p.frame > at);
  // Both ways at once the picture would jump to and fro, so it follows the way on while there is one.
  const onlyBack = !Object.keys(known).some((f) => Number(f) > at);
  const newest = (after.length || !onlyBack ? after : places).at(-1)?.frame;
  setBench({
    solving: { ...solving, [carrier]: known },
    ...(selected === carrier && newest !== undefined ? { frame: newest, playing: false } : {}),
  });
  if (selected === carrier && newest !== undefined) showRiding(carrier, newest);
}

/** In the composite, the nearest pane that rides on what is being solved goes along as if it were dragged. */
function showRiding(carrier: string, frame: number) {
  const b = bench();
  if (b.look !== "composite" || (b.drag && !b.drag.solving)) return;
  const pane = inDepth(b).find((thing) => thing.kind === "pane" && solvingUnder(b, thing.id) === carrier);
  const shape = pane && shapeOf({ ...b, drag: null }, pane.id, frame);
  if (pane && shape) setBench({ drag: { element: pane.id, frame, shape, solving: true } });
}

/** Nothing is being solved any more: what was only shown is let go. */
export function solvingEnded() {
  const { drag } = bench();
  setBench({ solving: {}, drag: drag?.solving ? null : drag });
}

/** Ask for frames of all carriers to be solved that can be, one after the other. */
export function solveAll(first: number, last: number) {
  const { shot } = bench();
  if (!shot) return;
  data<Job[]>(
    api.POST("/api/shots/{shot_id}/solve", {
      params: { path: { shot_id: shot.id } },
      body: { first, last },
    }),
  ).catch(tell);
}

/** Ask for frames of a carrier to be solved. */
export function solve(carrier: string, first: number, last: number) {
  const { shot } = bench();
  if (!shot) return;
  data<Job>(
    api.POST("/api/shots/{shot_id}/carriers/{carrier}/solve", {
      params: { path: { shot_id: shot.id, carrier } },
      body: { first, last },
    }),
  ).catch(tell);
}
