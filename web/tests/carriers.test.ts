import { beforeEach, describe, expect, it } from "vitest";

import type { Carrier, SolvedFrame } from "../src/api/client";
import { setBench, useBench } from "../src/state/bench";
import { doubts, solvedOf } from "../src/state/carriers";
import { watchSolving } from "../src/commands/solving";
import { quadMap } from "../src/shapes/quad";
import { shapeFrom } from "../src/shapes/shape";

const square = [
  [0, 0],
  [10, 0],
  [10, 8],
  [0, 8],
] as const;
const quad = (places: readonly (readonly number[])[]) =>
  shapeFrom(places.map(([x, y]) => [x!, y!, 0, 0, 0, 0]));

describe("the map of a quad", () => {
  it("takes the base's corners onto the quad's, and straight lines to straight lines", () => {
    const to = [
      [3, 1],
      [21, 4],
      [17, 19],
      [1, 12],
    ] as const;
    const map = quadMap(square, quad(to))!;
    square.forEach(([x, y], i) => {
      const [u, v] = map(x, y);
      expect(u).toBeCloseTo(to[i]![0]);
      expect(v).toBeCloseTo(to[i]![1]);
    });
    const [a, b, c] = [map(2, 1), map(5, 4), map(8, 7)];
    expect((b[0] - a[0]) * (c[1] - a[1])).toBeCloseTo((c[0] - a[0]) * (b[1] - a[1]));
  });

  it("is nothing for a base without area", () => {
    expect(
      quadMap(
        [
          [0, 0],
          [1, 1],
          [2, 2],
          [3, 3],
        ],
        quad(square),
      ),
    ).toBeNull();
  });
});

const NO_DOUBTS = { doubts: [], runs: [] };

const place = (
  frame: number,
  status: SolvedFrame["status"],
  confidence: number,
  reason = "",
): SolvedFrame => ({
  frame,
  status,
  confidence,
  reason,
  evidence: null,
  corners:
    status === "lost"
      ? null
      : [
          [0, 0],
          [1, 0],
          [1, 1],
          [0, 1],
        ],
});

describe("what is known of a carrier", () => {
  const carrier = {
    kind: "carrier",
    id: "c",
    name: "Door",
    at: 1001,
    base: square,
    solved: [place(1001, "solved", 1), place(1002, "solved", 0.9), place(1003, "unsure", 0.4, "covered")],
  } as unknown as Carrier;

  beforeEach(() =>
    setBench({
      shot: { elements: { c: carrier } } as never,
      solving: {},
      selected: null,
      frame: 1001,
    }),
  );

  it("is what is kept, and over it what is just being solved", () => {
    watchSolving("c", [place(1003, "solved", 0.8), place(1004, "lost", 0, "frame")], NO_DOUBTS);
    const known = solvedOf(useBench.getState(), carrier);
    expect(known.get(1003)!.status).toBe("solved");
    expect(known.get(1004)!.status).toBe("lost");
    expect(known.get(1002)!.confidence).toBe(0.9);
    expect(useBench.getState().frame).toBe(1001);
    setBench({ selected: "c" });
    watchSolving("c", [place(1005, "lost", 0, "frame")], NO_DOUBTS);
    expect(useBench.getState().frame).toBe(1005);
  });

  it("pins what the server doubts, the worst first, and of several doubts of a frame the worst", () => {
    const doubt = (frame: number, need: number) => ({ frame, need, about: "c", what: "unsure" as const });
    const runs = [{ first: 1003, last: 1003, status: "unsure" as const, reason: "covered" }];
    const found = { doubts: [doubt(1003, 0.6), doubt(1004, 1), doubt(1003, 0.2)], runs };
    watchSolving("c", [place(1004, "lost", 0, "frame")], found);
    const b = useBench.getState();
    expect(b.doubts.c!.runs).toEqual(runs);
    expect(doubts(b)).toEqual([
      { frame: 1004, need: 1, about: "c" },
      { frame: 1003, need: 0.6, about: "c" },
    ]);
  });
});
