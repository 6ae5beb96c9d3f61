import { useSyncExternalStore } from "react";

const KEY = "wiseglove.room";
const listeners = new Set<() => void>();

function apply(dim: boolean) {
  document.documentElement.dataset.room = dim ? "dim" : "light";
}

apply(localStorage.getItem(KEY) === "dim");

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
