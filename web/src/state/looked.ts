import { runsOf } from "./runs";

/** Which frames of a shot were looked at in this browser; kept as the frames themselves, a list for each shot. */
const NAME = (shot: string) => `wiseglove-looked-${shot}`;
const KNOWN = new Map<string, Set<number>>();

function lookedAt(shot: string): Set<number> {
  let known = KNOWN.get(shot);
  if (!known) {
    known = new Set<number>(JSON.parse(localStorage.getItem(NAME(shot)) ?? "[]"));
    KNOWN.set(shot, known);
  }
  return known;
}

/** Note that a frame was looked at. */
export function markLooked(shot: string, frame: number) {
  const known = lookedAt(shot);
  if (known.has(frame)) return;
  known.add(frame);
  // Written a little later, for while playing there are many.
  if (!WAITING.has(shot)) {
    WAITING.add(shot);
    window.setTimeout(() => {
      WAITING.delete(shot);
      localStorage.setItem(NAME(shot), JSON.stringify([...lookedAt(shot)]));
    }, 1000);
  }
}

const WAITING = new Set<string>();

/** Runs of frames that were never looked at. */
export function neverLooked(shot: string, first: number, last: number): [number, number][] {
  const known = lookedAt(shot);
  const all = Array.from({ length: last - first + 1 }, (_, k) => first + k);
  return runsOf(all.filter((frame) => !known.has(frame)));
}
