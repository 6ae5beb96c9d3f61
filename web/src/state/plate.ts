import type { Plate } from "../api/client";

/** Frames a second, as people say it: 25, 23.976. */
export function rateText(num: number, den: number): string {
  return den === 1 ? String(num) : (num / den).toFixed(3).replace(/0+$/, "");
}

/** A frame's time from the plate's first frame as hours:minutes:seconds:frames, frames counted at the rounded rate. */
export function timeText(plate: Plate, frame: number): string {
  const base = Math.round(plate.rate_num / plate.rate_den);
  const passed = frame - plate.first;
  const two = (n: number) => String(Math.floor(n)).padStart(2, "0");
  const seconds = passed / base;
  return `${two(seconds / 3600)}:${two((seconds / 60) % 60)}:${two(seconds % 60)}:${two(passed % base)}`;
}

/** Last frame of a plate. */
export function lastFrame(plate: Plate): number {
  return plate.first + plate.count - 1;
}
