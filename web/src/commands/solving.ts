import { api, data, Doubt, Doubts, Run, say, type Job, type SolvedFrame } from "../api/client";
import { solvingUnder } from "../state/riding";
import { bench, setBench } from "../state/bench";
import { inDepth, shapeOf } from "../state/lookups";
import { Has } from "../state/types";

type Judged = { doubts: Doubt[]; runs: Run[] };

/** Take in frames that were just solved; the picture follows the newest one while its carrier is selected. */
export function watchSolving(carrier: string, places: SolvedFrame[], found: Judged) {
  const { solving, selected, shot, doubts } = bench();
  const known = { ...solving[carrier] };
  for (const place of places) known[place.frame] = place;
  const element = shot?.elements[carrier];
  const at = element?.kind === "carrier" ? element.at : 0;
  const after = places.filter((p) => p.frame > at);
  // Both ways at once the picture would jump to and fro, so it follows the way on while there is one.
  const onlyBack = !Object.keys(known).some((f) => Number(f) > at);
  const newest = (after.length || !onlyBack ? after : places).at(-1)?.frame;
  setBench({
    solving: { ...solving, [carrier]: known },
    doubts: { ...doubts, [carrier]: withNewer(doubts[carrier], places, found) },
    ...(selected === carrier && newest !== undefined ? { frame: newest, playing: false } : {}),
  });
  if (selected === carrier && newest !== undefined) showRiding(carrier, newest);
}

/** What needs a look, with what was just found of some frames in place of what was known of those. */
function withNewer(known: Judged | undefined, places: SolvedFrame[], found: Judged): Judged {
  const frames = new Set(places.map((p) => p.frame));
  const overtaken = (run: Run) =>
    [...frames].some((f) => run.first <= f && f <= run.last) ||
    found.runs.some((newer) => newer.first <= run.last && run.first <= newer.last);
  const runs = [...(known?.runs ?? []).filter((run) => !overtaken(run)), ...found.runs];
  return {
    doubts: [...(known?.doubts ?? []).filter((d) => !frames.has(d.frame)), ...found.doubts],
    runs: runs.sort((p, q) => p.first - q.first),
  };
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
  void loadDoubts();
}

/** Ask which frames of the carriers need a look. */
export async function loadDoubts() {
  const { shot } = bench();
  if (!shot) return;
  try {
    const found = await data<Doubts>(
      api.GET("/api/shots/{shot_id}/doubts", { params: { path: { shot_id: shot.id } } }),
    );
    const of = (id: string) => found.doubts.filter((d) => d.about === id);
    const each = Object.entries(found.runs).map(([id, runs]) => [id, { doubts: of(id), runs }] as const);
    const now = bench();
    if (now.shot?.id === shot.id && Object.keys(now.solving).length === 0)
      setBench({ doubts: Object.fromEntries(each) });
  } catch (error) {
    say(error);
  }
}

/** What of a shot the doubts about its carriers depend on: it changes when one of them does. */
export const doubtful = (b: Has<"shot" | "touched" | "adopted">) =>
  Object.values(b.shot?.elements ?? {})
    .filter((e) => e.kind === "carrier")
    .map((e) => `${e.id} ${b.touched[e.id] ?? b.adopted}`)
    .join(" ");

/** Ask for frames of all carriers to be solved that can be, one after the other. */
export function solveAll(first: number, last: number) {
  const { shot } = bench();
  if (!shot) return;
  data<Job[]>(
    api.POST("/api/shots/{shot_id}/solve", {
      params: { path: { shot_id: shot.id } },
      body: { first, last },
    }),
  ).catch(say);
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
  ).catch(say);
}
