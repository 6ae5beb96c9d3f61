import { describe, expect, it } from "vitest";

import { about, boundsOf, mapped, middleOf, scaling, turning } from "../src/shapes/affine";
import { shapeFrom, STRIDE } from "../src/shapes/shape";
import { edgeRuns, isSoft, pulled, signedArea, softened } from "../src/shapes/soft";
import { grownSelection, withinLoop } from "../src/shapes/selection";

const square = shapeFrom([
  [10, 10, 0, 0, 3, 0],
  [50, 10, 0, 0, 0, 0],
  [50, 50, 0, 0, 0, 0],
  [10, 50, 0, 0, 0, 0],
]);
const row = (s: Float64Array, i: number) => [...s.subarray(i * STRIDE, i * STRIDE + STRIDE)];

describe("turning, scaling and shearing", () => {
  it("takes handles along and leaves soft edges and other points as they are", () => {
    const soft = softened(square, [0], 2, 4);
    const turned = mapped(soft, [0], turning(10, 50, Math.PI / 2));
    const [x, y, , , hx, hy, inner, outer] = row(turned, 0);
    expect([x, y]).toEqual([expect.closeTo(50), expect.closeTo(50)]);
    expect([hx, hy]).toEqual([expect.closeTo(0), expect.closeTo(3)]);
    expect([inner, outer]).toEqual([2, 4]);
    expect(row(turned, 1)).toEqual(row(square, 1));
  });

  it("keeps the place it is about", () => {
    const grown = mapped(square, [0, 1, 2, 3], scaling(10, 10, 2, 0.5));
    expect(boundsOf(grown, [0, 1, 2, 3])).toEqual({ left: 10, top: 10, right: 90, bottom: 30 });
    const sheared = mapped(square, [0, 1, 2, 3], about(0, 50, 1, 0, 0.5, 1));
    expect(row(sheared, 0).slice(0, 2)).toEqual([-10, 10]);
    expect(row(sheared, 2).slice(0, 2)).toEqual([50, 50]);
    expect(middleOf(square)).toEqual([30, 30]);
  });
});

describe("soft edges by hand", () => {
  it("are pulled outwards and inwards, whichever way the outline runs", () => {
    const reversed = shapeFrom([3, 2, 1, 0].map((i) => row(square, i)));
    expect(Math.sign(signedArea(square))).toBe(-Math.sign(signedArea(reversed)));
    const upper = { segment: 0, t: 0.5 };
    expect(row(pulled(square, [0, 1], upper, 0, -6), 0).slice(6)).toEqual([0, expect.closeTo(6)]);
    expect(row(pulled(square, [0, 1], upper, 0, 6), 1).slice(6)).toEqual([expect.closeTo(6), 0]);
    const same = { segment: 2, t: 0.5 };
    expect(row(pulled(reversed, [2, 3], same, 0, -6), 2).slice(6)).toEqual([0, expect.closeTo(6)]);
  });

  it("never get negative, and are drawn as two lines", () => {
    expect(isSoft(square)).toBe(false);
    expect(isSoft(softened(square, [1], -3, -1))).toBe(false);
    const middle = edgeRuns(softened(square, [0, 1, 2, 3], 2, 5))
      .flat()
      .filter(([x, y]) => x > 20 && x < 40 && y < 30);
    expect(Math.min(...middle.map(([, y]) => y))).toBeCloseTo(5);
    expect(Math.max(...middle.map(([, y]) => y))).toBeCloseTo(12);
  });

  it("end round about corners, and nowhere within another part's edge", () => {
    const from = ([x, y]: [number, number]) => {
      const out = Math.hypot(Math.max(10 - x, 0, x - 50), Math.max(10 - y, 0, y - 50));
      return out > 0 ? out : -Math.min(x - 10, 50 - x, y - 10, 50 - y);
    };
    const [inner, outer] = [
      edgeRuns(softened(square, [0, 1, 2, 3], 4, 0)),
      edgeRuns(softened(square, [0, 1, 2, 3], 0, 6)),
    ];
    for (const place of outer.at(-1)!) expect(from(place)).toBeCloseTo(6, 5);
    const inside = inner.flat().filter((place) => from(place) < -0.01);
    expect(inside.length).toBeGreaterThan(20);
    for (const place of inside) expect(from(place)).toBeLessThan(-3.4);
    for (const place of inside) expect(from(place)).toBeGreaterThan(-4.01);
    // A strip that is thinner than its edge is soft throughout.
    expect(
      edgeRuns(softened(square, [0, 1, 2, 3], 25, 0))
        .flat()
        .some((place) => from(place) < -0.01),
    ).toBe(false);
  });
});

describe("choosing points", () => {
  it("grows and shrinks along the curve, also across its seam", () => {
    expect([...grownSelection(new Set([0]), 6, 1)]).toEqual([0, 1, 5]);
    expect([...grownSelection(new Set([5, 0, 1]), 6, -1)]).toEqual([0]);
    expect(grownSelection(new Set([0, 1, 2]), 3, -1).size).toBe(3);
  });

  it("knows what lies in a loop", () => {
    const loop: [number, number][] = [
      [0, 0],
      [10, 0],
      [10, 10],
      [5, 3],
      [0, 10],
    ];
    expect(withinLoop(loop, 2, 4)).toBe(true);
    expect(withinLoop(loop, 5, 8)).toBe(false);
  });
});
