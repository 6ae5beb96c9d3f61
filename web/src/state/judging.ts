import { useSyncExternalStore } from "react";

const KEY = "wiseglove.judging";
const listeners = new Set<() => void>();

/** Whether outlines are judged by themselves while the hand rests. It is this browser's own choice; on, as long as nobody says else. */
export const judging = () => localStorage.getItem(KEY) !== "off";

export function setJudging(on: boolean) {
  localStorage.setItem(KEY, on ? "on" : "off");
  listeners.forEach((listener) => listener());
}

export const useJudging = () =>
  useSyncExternalStore((listener) => {
    listeners.add(listener);
    return () => listeners.delete(listener);
  }, judging);
