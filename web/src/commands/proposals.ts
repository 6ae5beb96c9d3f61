import { keepDiffering } from "./differing";
import { add } from "./drawn";
import { api, data, say, type Proposed, type Thinning } from "../api/client";
import { count, pointOf, PointRow, shapeFrom, type Shape } from "../shapes/shape";
import { bench, setBench } from "../state/bench";
import { outlineOf, shapeOf } from "../state/lookups";
import type { Proposal } from "../state/slices/drag";
import { send } from "./send";
import { keepStarters } from "./starting";

function shapesOf(proposed: Proposed): Record<number, Shape> {
  return Object.fromEntries(Object.entries(proposed.shapes).map(([f, rows]) => [Number(f), shapeFrom(rows)]));
}

const framesOf = (shapes: Record<number, Shape>) => new Set(Object.keys(shapes).map(Number));

/** Propose to move the chosen stretch (or all) to the edge in the plate. */
export const proposeSnap = () =>
  proposeMoved(onEdge, (shot_id, outline, frame) => {
    const body = { outline, frame, points: [...bench().points], radius: 12 };
    return api.POST("/api/shots/{shot_id}/snap", { params: { path: { shot_id } }, body });
  });

/** Propose to move what is off to where its edge seems to be by the outline's other keys. */
export const proposeRighted = () =>
  proposeMoved(toGhost, (shot_id, outline, frame) =>
    api.GET("/api/shots/{shot_id}/review/frames/{frame}/righted/{outline}", {
      params: { path: { shot_id, frame, outline } },
    }),
  );

/** Propose the outline on all frames around this one, from the nearest keys on both sides that fit. */
export async function proposeBetween() {
  const { shot, active, frame } = bench();
  if (!shot || !outlineOf(bench(), active)) return;
  const going = {};
  setBench({ proposal: { ...nothingYet(active!), going } });
  const still = () => bench().proposal?.going === going;
  try {
    const found = await data<Proposed>(
      api.GET("/api/shots/{shot_id}/review/frames/{frame}/between/{outline}", {
        params: { path: { shot_id: shot.id, frame, outline: active! } },
      }),
    );
    if (!still()) return;
    const shapes = shapesOf(found);
    const frames = Object.keys(shapes).map(Number);
    const ends = `${Math.min(...frames) - 1} and ${Math.max(...frames) + 1}`;
    const shown = added(nothingYet(active!), shapes, found, Math.min(...frames));
    const doubted = shown.lost ? "; look at what is marked" : "";
    setBench({
      proposal: {
        ...shown,
        text: `Carried over ${frames.length} ${frames.length === 1 ? "frame" : "frames"} between ${ends}${doubted}`,
      },
    });
  } catch (error) {
    if (!still()) return;
    setBench({ proposal: null });
    say(error);
  }
}

const onEdge = (moved: number, share: number) =>
  `Moves ${moved.toFixed(1)} px on the mean, on a clear edge for ${share} %`;
const toGhost = (moved: number) =>
  `Moves ${moved.toFixed(1)} px on the mean, to where its keys say the edge is`;

async function proposeMoved(
  words: (moved: number, share: number) => string,
  ask: (shot: string, outline: string, frame: number) => Parameters<typeof data<Proposed>>[0],
) {
  const { shot, active, frame } = bench();
  if (!shot || !outlineOf(bench(), active)) return;
  try {
    const found = await data<Proposed>(ask(shot.id, active!, frame));
    const shapes = shapesOf(found);
    const share = Math.round((found.sure[frame] ?? 0) * 100);
    setBench({
      proposal: {
        kind: "snap",
        element: active!,
        shapes,
        sure: found.sure,
        kept: framesOf(shapes),
        text: words(found.moved, share),
      },
    });
  } catch (error) {
    say(error);
  }
}

/** Propose the outline on the next frames, or the ones before; `tolerance`: the share that may be in doubt before it ends. */
export const proposeCarry = (by: number, tolerance: number) =>
  proposeCarried(bench().frame, bench().frame + by, tolerance, () => true);

/** Propose only one frame of what is carried on from another, which is a key; of some points only, the others stay. */
export const proposeCarryTo = (from: number, to: number, points: ReadonlySet<number> | null) =>
  proposeCarried(from, to, 1, (f) => f === to, points);

async function proposeCarried(
  frame: number,
  to: number,
  tolerance: number,
  wanted: (frame: number) => boolean,
  points: ReadonlySet<number> | null = null,
) {
  const { shot, active } = bench();
  if (!shot || !outlineOf(bench(), active)) return;
  const going = {};
  const still = () => bench().proposal?.going === going;
  setBench({ proposal: { ...nothingYet(active!), going } });
  try {
    // The server answers after a few seconds with what it has; from there it is asked again, and what came is shown already.
    let [from, shape] = [frame, undefined as PointRow[] | undefined];
    for (;;) {
      const body = { outline: active!, frame: from, to, tolerance, shape };
      const found = await data<Proposed>(
        api.POST("/api/shots/{shot_id}/carry", { params: { path: { shot_id: shot.id } }, body }),
      );
      const before = bench().proposal;
      if (!before || !still()) return;
      const came = Object.entries(shapesOf(found)).map(([f, s]) => [Number(f), s] as const);
      const fresh = Object.fromEntries(came.filter(([f]) => wanted(f)));
      if (points) for (const f of Object.keys(fresh).map(Number)) fresh[f] = stretchOf(fresh[f]!, f, points);
      const shown = added(before, fresh, found, frame);
      setBench({ proposal: found.unfinished ? shown : { ...shown, going: undefined } });
      if (!found.unfinished) return;
      from = came.reduce((last, [f]) => (Math.abs(f - frame) > Math.abs(last - frame) ? f : last), from);
      shape = found.shapes[from] as PointRow[];
    }
  } catch (error) {
    if (!still()) return;
    // What has come so far stays to be kept or dropped.
    const { proposal } = bench();
    setBench({ proposal: proposal?.kept.size ? { ...proposal, going: undefined } : null });
    say(error);
  }
}

const nothingYet = (element: string): Proposal => ({
  kind: "carry",
  element,
  shapes: {},
  sure: {},
  kept: new Set(),
  text: "Following the picture …",
});

/** A proposal with what else was carried on, and in words how far it is. */
function added(before: Proposal, fresh: Record<number, Shape>, found: Proposed, start: number): Proposal {
  const shapes = { ...before.shapes, ...fresh };
  const doubtful = { ...before.doubtful, ...found.doubtful };
  const begins = Object.keys(doubtful)
    .map(Number)
    .sort((x, y) => Math.abs(x - start) - Math.abs(y - start));
  const count = Object.keys(shapes).length;
  const parts = [`Carried on over ${count} ${count === 1 ? "frame" : "frames"}`];
  if (begins.length)
    parts.push(
      `; on ${begins.length} of them, from ${begins[0]}, parts are in doubt: look at what is marked`,
    );
  parts.push(found.unfinished ? ", going on …" : found.reason ? `. ${found.reason}` : "");
  return {
    ...before,
    shapes,
    doubtful,
    needs: { ...before.needs, ...found.needs },
    sure: { ...before.sure, ...found.sure },
    kept: new Set([...before.kept, ...framesOf(fresh)]),
    text: parts.join(""),
    lost:
      before.lost ??
      (found.where ? { at: found.where as [number, number], frames: begins.slice(0, 1) } : null),
  };
}

/** A proposed shape in some points only; in the others the active outline as it is on that frame. */
function stretchOf(proposed: Shape, frame: number, points: ReadonlySet<number>): Shape {
  const now = shapeOf(bench(), bench().active!, frame);
  if (!now) return proposed;
  const rows = rowsOf(now).map((row, i) => (points.has(i) ? pointOf(proposed, i) : row));
  return shapeFrom(rows);
}

/** Propose to keep only the keys that are needed within a tolerance; shown on the strip before it is done. */
export async function proposeThinning(tolerance: number) {
  const { shot, active, proposal } = bench();
  if (!shot || !outlineOf(bench(), active)) return;
  const again = proposal?.kind === "thin";
  // The slider stays where the hand put it while the answer is on its way.
  if (again) setBench({ proposal: { ...proposal, tolerance } });
  const asked = bench().proposal;
  try {
    const found = await data<Thinning>(
      api.POST("/api/shots/{shot_id}/thin", {
        params: { path: { shot_id: shot.id } },
        body: { outline: active!, tolerance },
      }),
    );
    if (again && bench().proposal !== asked) return;
    setBench({
      proposal: {
        kind: "thin",
        element: active!,
        shapes: {},
        sure: {},
        tolerance,
        kept: new Set(found.frames),
        text: `${found.frames.length} of ${found.before} keys stay; no frame changes by more than ${found.error.toFixed(2)} px`,
      },
    });
  } catch (error) {
    say(error);
  }
}

/** Keep what is proposed: one edit, so one undo takes it back. */
export async function keepProposal() {
  const { proposal, fitting, starting } = bench();
  if (starting) return keepStarters();
  if (fitting) return add({ points: fitting.points, kinds: fitting.kinds });
  if (!proposal) return;
  if (proposal.kind === "differing") return keepDiffering("matte");
  if (proposal.kind === "thin") {
    const done = await send({ type: "thin-out", outline: proposal.element, tolerance: proposal.tolerance! });
    return void (done && setBench({ proposal: null }));
  }
  const shapes = Object.fromEntries(
    [...proposal.kept].flatMap((frame) => {
      const shape = proposal.shapes[frame];
      return shape ? [[frame, rowsOf(shape)]] : [];
    }),
  );
  if (Object.keys(shapes).length === 0) return setBench({ proposal: null });
  const doubtful = Object.fromEntries(
    Object.entries(proposal.doubtful ?? {}).filter(([frame]) => frame in shapes),
  );
  const done = await send({ type: "set-keys", outline: proposal.element, shapes, doubtful });
  if (done) setBench({ proposal: null });
}

/** Give up what is proposed; nothing was changed by it. */
export function dropProposal() {
  setBench({ proposal: null, fitting: null, starting: null });
}

/** Leave this frame out of what is proposed over several, or take it in again. */
export function turnFrame(frame: number) {
  const { proposal } = bench();
  if (proposal?.kind !== "carry" && proposal?.kind !== "differing") return;
  const kept = new Set(proposal.kept);
  if (!kept.delete(frame)) kept.add(frame);
  setBench({ proposal: { ...proposal, kept } });
}

export function rowsOf(shape: Shape): PointRow[] {
  return Array.from({ length: count(shape) }, (_, i) => pointOf(shape, i));
}
