import { api, data, tell, type Edit, type Proposed, type Thinning } from "../api/client";
import { shapeFrom, type Shape } from "../shapes/shape";
import { add } from "../viewer/draw";
import { bench, outlineOf, setBench, type Proposal } from "../state/bench";
import { send } from "./send";

function shapesOf(proposed: Proposed): Record<number, Shape> {
  return Object.fromEntries(Object.entries(proposed.shapes).map(([f, rows]) => [Number(f), shapeFrom(rows)]));
}

const framesOf = (shapes: Record<number, Shape>) => new Set(Object.keys(shapes).map(Number));

/** Propose to move the chosen stretch (or all) to the edge in the plate. */
export async function proposeSnap() {
  const { shot, active, frame, points } = bench();
  if (!shot || !outlineOf(bench(), active)) return;
  try {
    const body = { outline: active!, frame, points: [...points], radius: 12 };
    const found = await data<Proposed>(
      api.POST("/api/shots/{shot_id}/snap", { params: { path: { shot_id: shot.id } }, body }),
    );
    const shapes = shapesOf(found);
    const share = Math.round((found.sure[frame] ?? 0) * 100);
    setBench({
      proposal: {
        kind: "snap",
        element: active!,
        shapes,
        sure: found.sure,
        kept: framesOf(shapes),
        text: `Moves ${(found.moved ?? 0).toFixed(1)} px on the mean, on a clear edge for ${share} %`,
      },
    });
  } catch (error) {
    tell(error);
  }
}

let carrying = 0;

/** Propose the outline on the next frames, or the ones before. */
export async function proposeCarry(by: number) {
  const { shot, active, frame } = bench();
  if (!shot || !outlineOf(bench(), active)) return;
  const own = (carrying += 1);
  const start: Proposal = {
    kind: "carry",
    element: active!,
    shapes: {},
    sure: {},
    kept: new Set(),
    text: "Following the picture …",
  };
  setBench({ proposal: start });
  try {
    const body = { outline: active!, frame, to: frame + by };
    const found = await data<Proposed>(
      api.POST("/api/shots/{shot_id}/carry", { params: { path: { shot_id: shot.id } }, body }),
    );
    if (own !== carrying) return;
    const shapes = shapesOf(found);
    const count = Object.keys(shapes).length;
    const text = found.reason || `Carried on over ${count} ${count === 1 ? "frame" : "frames"}`;
    const last = frame + Math.sign(by) * count;
    const lost = found.where
      ? { at: found.where as [number, number], frames: [last, last + Math.sign(by)] }
      : null;
    setBench({ proposal: { ...start, shapes, sure: found.sure, kept: framesOf(shapes), text, lost } });
  } catch (error) {
    if (own === carrying) setBench({ proposal: null });
    tell(error);
  }
}

let thinned = 0;

/** Propose to keep only the keys that are needed within a tolerance; shown on the strip before it is done. */
export async function proposeThinning(tolerance: number) {
  const { shot, active, proposal } = bench();
  if (!shot || !outlineOf(bench(), active)) return;
  const turn = ++thinned;
  const again = proposal?.kind === "thin";
  // The slider stays where the hand put it while the answer is on its way.
  if (again) setBench({ proposal: { ...proposal, tolerance } });
  try {
    const found = await data<Thinning>(
      api.POST("/api/shots/{shot_id}/thin", {
        params: { path: { shot_id: shot.id } },
        body: { outline: active!, tolerance },
      }),
    );
    if (turn !== thinned || (again && bench().proposal?.kind !== "thin")) return;
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
    tell(error);
  }
}

/** Keep what is proposed: one edit, so one undo takes it back. */
export async function keepProposal() {
  const { proposal, fitting } = bench();
  if (fitting) return add({ points: fitting.points, kinds: fitting.kinds });
  if (!proposal) return;
  carrying += 1;
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
  const done = await send({ type: "set-keys", outline: proposal.element, shapes } as Edit);
  if (done) setBench({ proposal: null });
}

/** Give up what is proposed; nothing was changed by it. */
export function dropProposal() {
  carrying += 1;
  setBench({ proposal: null, fitting: null });
}

/** Leave this frame out of what is carried on, or take it in again. */
export function turnFrame(frame: number) {
  const { proposal } = bench();
  if (!proposal || proposal.kind !== "carry") return;
  const kept = new Set(proposal.kept);
  if (!kept.delete(frame)) kept.add(frame);
  setBench({ proposal: { ...proposal, kept } });
}

export function rowsOf(shape: Shape): number[][] {
  return Array.from({ length: shape.length / 8 }, (_, i) => Array.from(shape.subarray(i * 8, i * 8 + 8)));
}
