/** Whether a place lies in a loop (even-odd). */
export function withinLoop(loop: [number, number][], x: number, y: number): boolean {
  let within = false;
  loop.forEach(([bx, by], i) => {
    const [ax, ay] = loop[(i || loop.length) - 1]!;
    if (ay > y !== by > y && x < ((bx - ax) * (y - ay)) / (by - ay) + ax) within = !within;
  });
  return within;
}

/** The selection with the next points along the curve at both ends, or without its last ones there. */
export function grownSelection(points: ReadonlySet<number>, n: number, way: 1 | -1): Set<number> {
  const has = (i: number) => points.has((i + n) % n);
  if (way > 0)
    return new Set(Array.from({ length: n }, (_, i) => i).filter((i) => has(i - 1) || has(i) || has(i + 1)));
  if (points.size === n) return new Set(points);
  return new Set([...points].filter((i) => has(i - 1) && has(i + 1)));
}
