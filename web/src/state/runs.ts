/** Frames in rising order as runs, each by its first and last. */
export function runsOf(frames: Iterable<number>): [number, number][] {
  const runs: [number, number][] = [];
  for (const frame of frames) {
    const run = runs.at(-1);
    if (run && run[1] === frame - 1) run[1] = frame;
    else runs.push([frame, frame]);
  }
  return runs;
}
