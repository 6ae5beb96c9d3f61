import { describe, expect, it } from "vitest";

import { along, inside, shapeFrom } from "../src/shapes/shape";
import { started, type StarterDrag } from "../src/shapes/starters";

const drag = (part: Partial<StarterDrag> = {}): StarterDrag => ({
  x0: 100,
  y0: 100,
  x1: 180,
  y1: 140,
  even: false,
  centred: false,
  slimness: 0.3,
  ...part,
});
const shape = (kind: "ellipse" | "box" | "finger", part: Partial<StarterDrag> = {}) =>
  shapeFrom(started(kind, drag(part))!.points);

function bounds(s: Float64Array) {
  const places = Array.from({ length: s.length / 8 }, (_, i) =>
    Array.from({ length: 41 }, (_, k) => along(s, i, k / 40)),
  ).flat();
  const [xs, ys] = [places.map((p) => p[0]), places.map((p) => p[1])];
  return [Math.min(...xs), Math.min(...ys), Math.max(...xs), Math.max(...ys)];
}

describe("starters", () => {
  it("draw nothing from a click", () => {
    expect(started("box", drag({ x1: 102, y1: 101 }))).toBeNull();
  });

  it.each(["ellipse", "box"] as const)("%s fills the dragged frame, whichever way it was dragged", (kind) => {
    for (const part of [{}, { x0: 180, x1: 100 }, { y0: 140, y1: 100 }]) {
      const found = bounds(shape(kind, part));
      [100, 100, 180, 140].forEach((v, i) => expect(found[i]!).toBeCloseTo(v, 3));
    }
  });

  it.each(["ellipse", "box"] as const)("%s is even with Shift and grows from its centre with Alt", (kind) => {
    const found = bounds(shape(kind, { even: true, centred: true }));
    [20, 20, 180, 180].forEach((v, i) => expect(found[i]!).toBeCloseTo(v, 3));
  });

  it.each([0, 37, 90, 200])("a finger reaches from knuckle to tip and tapers (at %i degrees)", (degrees) => {
    const [c, s] = [Math.cos((degrees * Math.PI) / 180), Math.sin((degrees * Math.PI) / 180)];
    const points = shape("finger", { x0: 300, y0: 300, x1: 300 + 100 * c, y1: 300 + 100 * s });
    const local = (x: number, y: number) => [300 + x * c - y * s, 300 + x * s + y * c] as const;
    expect(points.length / 8).toBe(7);
    expect(inside(points, ...local(99, 0))).toBe(true);
    expect(inside(points, ...local(101, 0))).toBe(false);
    expect(inside(points, ...local(3, 14))).toBe(true);
    expect(inside(points, ...local(3, -15.5))).toBe(false);
    expect(inside(points, ...local(85, 11.2))).toBe(true);
    expect(inside(points, ...local(85, 12.6))).toBe(false);
  });

  it("a finger's tip is round", () => {
    const points = shape("finger", { x0: 0, y0: 0, x1: 100, y1: 0 });
    const radius = 15 * 0.78;
    for (const segment of [2, 3]) {
      for (let k = 0; k <= 10; k += 1) {
        const [x, y] = along(points, segment, k / 10);
        expect(Math.abs(Math.hypot(x - (100 - radius), y) - radius)).toBeLessThan(radius * 0.01);
      }
    }
  });
});
