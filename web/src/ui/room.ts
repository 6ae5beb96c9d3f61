import { useSyncExternalStore } from "react";

const KEY = "wiseglove.room";
const listeners = new Set<() => void>();

function apply(dim: boolean) {
  document.documentElement.dataset.room = dim ? "dim" : "light";
}

apply(localStorage.getItem(KEY) === "dim");

const tables = new Map<string, string>();

/** The colour around the picture. Reading it from the style makes the browser lay out the page, so it is kept. */
export function tableColour(): string {
  const room = document.documentElement.dataset.room ?? "";
  let colour = tables.get(room);
  if (!colour) {
    colour = getComputedStyle(document.documentElement).getPropertyValue("--table");
    if (colour) tables.set(room, colour);
  }
  return colour || "#767676";
}

/** Whether panels are dark, and a way to change it. It is this browser's own choice. */
export function useDimRoom(): [boolean, () => void] {
  const dim = useSyncExternalStore(
    (listener) => {
      listeners.add(listener);
      return () => listeners.delete(listener);
    },
    () => document.documentElement.dataset.room === "dim",
  );
  const toggle = () => {
    localStorage.setItem(KEY, dim ? "light" : "dim");
    apply(!dim);
    listeners.forEach((listener) => listener());
  };
  return [dim, toggle];
}
