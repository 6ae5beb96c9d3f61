import { api, data, tell, type Carrier, type Job, type SolvedFrame } from "../../api/client";
import { solvingUnder } from "../../viewer/riding";
import { bench, inDepth, setBench, shapeOf } from "./bench";

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

/** Ask for frames of some carriers to be solved, one after the other: those that others begin or look on come first. */
export async function solveAll(carriers: Carrier[], first: number, last: number) {
  for (const carrier of inOrder(carriers)) await solve(carrier.id, first, last);
}

/** Carriers so that each comes after those that it depends on, as far as that goes round in no circle. */
export function inOrder(carriers: Carrier[]): Carrier[] {
  const out: Carrier[] = [];
  const put = (carrier: Carrier, above: Carrier[]) => {
    if (out.includes(carrier) || above.includes(carrier)) return;
    const needs = [
      carrier.begins,
      ...[...(carrier.patches ?? []), ...(carrier.blind ?? [])].map((r) => r.rides),
    ];
    for (const other of carriers) if (needs.includes(other.id)) put(other, [...above, carrier]);
    out.push(carrier);
  };
  for (const carrier of carriers) put(carrier, []);
  return out;
}

/** Ask for frames of a carrier to be solved. */
export async function solve(carrier: string, first: number, last: number) {
  const { shot } = bench();
  if (!shot) return;
  await data<Job>(
    api.POST("/api/shots/{shot_id}/carriers/{carrier}/solve", {
      params: { path: { shot_id: shot.id, carrier } },
      body: { first, last },
    }),
  ).catch(tell);
}
