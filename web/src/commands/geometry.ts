import { problemOf, type ShotState } from "../api/client";
import { fillRows, STRIDE } from "../shapes/shape";
import { bench, setBench } from "../state/bench";

const NEAR = 8;
/** Numbers of one answer, about 4 MB. */
const CHUNK = 1_000_000;

/** Load the geometry that a shot came without: the present frame first, then its neighbours, then all the rest. */
export async function loadGeometry() {
  const { shot, tracks, frame } = bench();
  if (!shot) return;
  const first = shot.plate.first;
  const last = first + shot.plate.count - 1;
  const numbers = Object.values(tracks).reduce((sum, t) => sum + t.points * STRIDE, 0);
  const step = Math.max(Math.floor(CHUNK / Math.max(numbers, 1)), 1);
  const spans: [number, number][] = [[frame, frame]];
  spans.push([Math.max(frame - NEAR, first), Math.min(frame + NEAR, last)]);
  for (let from = first; from <= last; from += step) spans.push([from, Math.min(from + step - 1, last)]);
  for (const [from, to] of spans) {
    while (isMissing(from, to)) {
      if (!(await loadSpan(shot.id, from, to))) return;
    }
  }
}

/** Whether some track lacks a row on these frames; before its first and after its last key the end rows count. */
function isMissing(from: number, to: number): boolean {
  return Object.values(bench().tracks).some((t) => {
    const low = Math.min(Math.max(from - t.first, 0), t.frames - 1);
    const high = Math.min(Math.max(to - t.first, 0), t.frames - 1);
    return t.ready.subarray(low, high + 1).includes(0);
  });
}

/** The rows of a shot's first frame, with which its lines are there at once; null where they cannot be had now. */
export async function firstRows(state: ShotState): Promise<Float32Array | null> {
  const first = state.plate.first;
  try {
    const answer = await ask(state.id, state.revision, first, first);
    return answer.ok ? new Float32Array(await answer.arrayBuffer()) : null;
  } catch {
    return null;
  }
}

const ask = (shot: string, revision: number, from: number, to: number) =>
  fetch(`/api/shots/${shot}/geometry?revision=${revision}&first=${from}&last=${to}`);

/** Load all rows of a span; where an edit overtakes the answer it is asked for anew. False when the shot is left. */
async function loadSpan(shot: string, from: number, to: number): Promise<boolean> {
  const revision = bench().shot!.revision;
  const answer = await ask(shot, revision, from, to);
  const body = answer.ok ? new Float32Array(await answer.arrayBuffer()) : null;
  const now = bench();
  if (now.shot?.id !== shot) return false;
  if (answer.status === 409 || now.shot.revision !== revision) {
    // This page may be just behind another one, or its own edit; a moment later it no longer is.
    await new Promise((done) => setTimeout(done, 60));
    return true;
  }
  if (!body) throw await problemOf(answer);
  takeIn(from, to, body);
  return true;
}

/** Put the rows of all elements on a span of frames into their tracks. */
export function takeIn(from: number, to: number, rows: Float32Array) {
  const { tracks } = bench();
  let at = 0;
  for (const [, track] of Object.entries(tracks).sort(([a], [b]) => (a < b ? -1 : 1))) {
    const clamp = (f: number) => Math.min(Math.max(f, track.first), track.first + track.frames - 1);
    const size = (clamp(to) - clamp(from) + 1) * track.points * STRIDE;
    fillRows(track, clamp(from), rows.subarray(at, at + size));
    at += size;
  }
  setBench({ tracks: { ...tracks } });
}
