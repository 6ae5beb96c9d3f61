import { describe, expect, it } from "vitest";

import {
  along,
  bent,
  count,
  inside,
  moved,
  nearestOnCurve,
  pathOf,
  pointOf,
  fillRows,
  shapeAt,
  shapeFrom,
  unpack,
  withHandle,
} from "../src/shapes/shape";

const square = shapeFrom([
  [10, 10, 0, 0, 0, 0],
  [50, 10, 0, 0, 0, 0],
  [50, 50, 0, 0, 0, 0],
  [10, 50, 0, 0, 0, 0],
]);

/** A circle of radius 30 about (50, 50) from four cubics; kappa = 0.5522847 (common practice). */
const KAPPA = 0.5522847 * 30;
const circle = shapeFrom([
  [50, 20, -KAPPA, 0, KAPPA, 0],
  [80, 50, 0, -KAPPA, 0, KAPPA],
  [50, 80, KAPPA, 0, -KAPPA, 0],
  [20, 50, 0, KAPPA, 0, -KAPPA],
]);

function packed(rows: number[][], first: number, points: number) {
  const bytes = new Uint8Array(Float32Array.from(rows.flat()).buffer);
  return {
    first,
    frames: rows.length,
    points,
    carriers: [],
    whole: false,
    data: btoa(String.fromCharCode(...bytes)),
  };
}

describe("geometry from the server", () => {
  const track = unpack(
    packed(
      [
        [1, 2, 0, 0, 0, 0, 5, 6],
        [3, 4, 0, 0, 0, 0, 7, 8],
      ],
      1001,
      1,
    ),
  );

  it("is read frame by frame", () => {
    expect([...shapeAt(track, 1001)!]).toEqual([1, 2, 0, 0, 0, 0, 5, 6]);
    expect([...shapeAt(track, 1002)!]).toEqual([3, 4, 0, 0, 0, 0, 7, 8]);
  });

  it("holds its ends", () => {
    expect([...shapeAt(track, 900)!]).toEqual([...shapeAt(track, 1001)!]);
    expect([...shapeAt(track, 1200)!]).toEqual([...shapeAt(track, 1002)!]);
  });
});

describe("geometry that comes row by row", () => {
  it("is not there until its rows are", () => {
    const track = unpack({ first: 1001, frames: 3, points: 1, carriers: [], whole: false, data: null });
    expect(shapeAt(track, 1002)).toBeNull();
    fillRows(track, 1002, Float32Array.from([1, 2, 0, 0, 0, 0, 0, 0]));
    expect([...shapeAt(track, 1002)!].slice(0, 2)).toEqual([1, 2]);
    expect(shapeAt(track, 1003)).toBeNull();
    expect(shapeAt(track, 900)).toBeNull();
  });
});

describe("a closed curve", () => {
  it("stays within 0.03 % of its radius on a circle", () => {
    for (let i = 0; i < 4; i += 1) {
      for (let k = 0; k <= 20; k += 1) {
        const [x, y] = along(circle, i, k / 20);
        expect(Math.abs(Math.hypot(x - 50, y - 50) - 30)).toBeLessThan(30 * 0.0003);
      }
    }
  });

  it("knows its inside", () => {
    expect(inside(circle, 50, 50)).toBe(true);
    expect(inside(circle, 50, 21)).toBe(true);
    expect(inside(circle, 25, 25)).toBe(false);
    expect(inside(square, 11, 49)).toBe(true);
    expect(inside(square, 9, 30)).toBe(false);
  });

  it("finds the nearest place on itself", () => {
    const at = nearestOnCurve(circle, 50 + 40 * Math.SQRT1_2, 50 - 40 * Math.SQRT1_2, 1, 1);
    expect(at.segment).toBe(0);
    expect(at.t).toBeCloseTo(0.5, 2);
    expect(at.distance).toBeCloseTo(10, 1);
  });

  it("measures distances as the screen shows them", () => {
    expect(nearestOnCurve(square, 30, 0, 1, 3).distance).toBeCloseTo(30, 6);
  });

  it("becomes an SVG path that ends where it began", () => {
    const path = pathOf(square, (x, y) => [x * 2, y * 2]);
    expect(path.startsWith("M20.0 20.0C")).toBe(true);
    expect(path.endsWith("20.0 20.0Z")).toBe(true);
    expect(path.match(/C/g)).toHaveLength(4);
    expect(pathOf(square, (x, y) => [x, y], false).match(/C/g)).toHaveLength(3);
  });
});

describe("dragging", () => {
  it("moves only the chosen points and leaves what it was given", () => {
    const out = moved(square, [1, 2], 5, -3);
    expect(pointOf(out, 1).slice(0, 2)).toEqual([55, 7]);
    expect(pointOf(out, 0)).toEqual(pointOf(square, 0));
    expect(square[8]).toBe(50);
    expect(count(out)).toBe(4);
  });

  it("keeps the other handle of a smooth point in line and as long as it was", () => {
    const out = withHandle(circle, 0, "out", 0, 10, true);
    const [, , ix, iy] = pointOf(out, 0);
    expect(ix).toBeCloseTo(0);
    expect(iy).toBeCloseTo(-KAPPA);
  });

  it("leaves the other handle alone where the point is broken", () => {
    const out = withHandle(circle, 0, "out", 0, 10, false);
    expect(pointOf(out, 0).slice(2, 4)).toEqual([-KAPPA, 0]);
  });

  it.each([0.2, 0.5, 0.8])("bends a curve so that the place under the pointer follows it (t = %f)", (t) => {
    const before = along(square, 2, t);
    const out = bent(square, { segment: 2, t, distance: 0 }, 7, -4, () => false);
    const after = along(out, 2, t);
    expect(after[0] - before[0]).toBeCloseTo(7, 9);
    expect(after[1] - before[1]).toBeCloseTo(-4, 9);
    for (let i = 0; i < 4; i += 1)
      expect(pointOf(out, i).slice(0, 2)).toEqual(pointOf(square, i).slice(0, 2));
  });
});
