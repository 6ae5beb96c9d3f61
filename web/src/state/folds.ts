import { create } from "zustand";

const KEY = "wiseglove.lanes";

/** Things whose lanes are folded to one, in this browser. */
export const useFolds = create<{ folded: ReadonlySet<string> }>(() => ({
  folded: new Set(JSON.parse(localStorage.getItem(KEY) ?? "[]") as string[]),
}));

/** Fold the lanes of a thing to one, or unfold them. */
export function turnFold(thing: string) {
  const folded = new Set(useFolds.getState().folded);
  if (!folded.delete(thing)) folded.add(thing);
  localStorage.setItem(KEY, JSON.stringify([...folded]));
  useFolds.setState({ folded });
}
