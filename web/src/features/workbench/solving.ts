import { api, data, tell, type Job, type SolvedFrame } from "../../api/client";
import { bench, setBench } from "./bench";

/** Take in frames that were just solved; the picture follows the newest one while its carrier is selected. */
export function watchSolving(carrier: string, places: SolvedFrame[]) {
  const { solving, selected, frame } = bench();
  const known = { ...solving[carrier] };
  for (const place of places) known[place.frame] = place;
  const newest = places.at(-1)?.frame ?? frame;
  setBench({
    solving: { ...solving, [carrier]: known },
    ...(selected === carrier ? { frame: newest, playing: false } : {}),
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
