import { useSyncExternalStore } from "react";

const KEY = "wiseglove.ahead";
const listeners = new Set<() => void>();

/**
 * Whether outlines are judged and pictures rendered ahead while the hand rests. It is this browser's own choice; on, as
 * long as nobody says else.
 */
export const worksAhead = () => localStorage.getItem(KEY) !== "off";

export function setWorksAhead(on: boolean) {
  localStorage.setItem(KEY, on ? "on" : "off");
  listeners.forEach((listener) => listener());
}

export const useWorksAhead = () =>
  useSyncExternalStore((listener) => {
    listeners.add(listener);
    return () => listeners.delete(listener);
  }, worksAhead);
