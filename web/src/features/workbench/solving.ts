import { api, data, tell, type Job, type SolvedFrame } from "../../api/client";
import { bench, setBench } from "./bench";

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
