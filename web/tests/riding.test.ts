import { beforeEach, describe, expect, it } from "vitest";

import type { Carrier, SolvedFrame } from "../src/api/client";
import { bench, setBench } from "../src/state/bench";
import { doubts } from "../src/state/carriers";
import { worstOf } from "../src/state/checks";
import { solvingEnded, watchSolving } from "../src/commands/solving";
import { crossings } from "../src/viewer/JointLines";
import { shapeFrom, unpack } from "../src/shapes/shape";
import { shapeOf } from "../src/state/lookups";
import { regionPoints, regionSeen } from "../src/state/regions";

const BASE = [
  [0, 0],
  [10, 0],
  [10, 10],
  [0, 10],
];

function track(places: number[][], carriers: string[] = [], frames = 4) {
  const rows = places.flatMap(([x, y]) => [x!, y!, 0, 0, 0, 0, 0, 0]);
  const all = Float32Array.from(Array.from({ length: frames }, () => rows).flat());
  const data = btoa(String.fromCharCode(...new Uint8Array(all.buffer)));
  const whole = carriers.length > 0;
  return unpack({ first: 1001, frames, points: places.length, carriers, whole, data });
}

const carrier = {
  kind: "carrier",
  id: "c",
  at: 1001,
  base: BASE,
  solved: [],
  patches: [
    {
      points: BASE.map(([x, y]) => [x, y, 0, 0, 0, 0]),
      keys: [
        { frame: 1001, points: [[0, 0, 0, 0, 0, 0]] },
        { frame: 1005, points: [[8, 4, 0, 0, 0, 0]] },
      ],
    },
  ],
} as unknown as Carrier;
const pane = { kind: "pane", id: "p", name: "Pane", colour: "#fff", keys: [], rides: "c" };
const shifted = (frame: number, by: number): SolvedFrame => ({
  frame,
  status: "solved",
  confidence: 0.9,
  reason: "",
  evidence: null,
  corners: BASE.map(([x, y]) => [x! + by, y!]) as SolvedFrame["corners"],
});

beforeEach(() =>
  setBench({
    shot: {
      id: "s",
      revision: 1,
      plate: { media: "m", width: 99, height: 99, first: 1001, count: 4, rate_num: 25, rate_den: 1 },
      elements: {
        c: carrier,
        p: pane,
        settings: { kind: "settings", id: "settings", name: "S", depth: ["p"] },
      },
      geometry: {},
    } as never,
    tracks: {
      c: track(BASE),
      p: track(
        [
          [2, 2],
          [6, 2],
          [6, 6],
          [2, 6],
        ],
        ["c"],
      ),
    },
    solving: {},
    selected: "c",
    drag: null,
    look: "composite",
    checks: null,
  }),
);

describe("what rides on a carrier that is being solved", () => {
  it("goes along frame by frame, and the composite shows it, until solving ends", () => {
    watchSolving("c", [shifted(1002, 3)], { doubts: [], runs: [] });
    expect([...shapeOf(bench(), "p", 1002)!.slice(0, 2)]).toEqual([5, 2]);
    expect([...shapeOf(bench(), "p", 1003)!.slice(0, 2)]).toEqual([2, 2]);
    expect(bench().drag).toMatchObject({ element: "p", frame: 1002, solving: true });
    solvingEnded();
    expect(bench().drag).toBeNull();
    expect([...shapeOf(bench(), "p", 1002)!.slice(0, 2)]).toEqual([2, 2]);
  });

  it("does not take away what the hand drags", () => {
    const mine = { element: "p", frame: 1001, shape: shapeFrom([[1, 1, 0, 0, 0, 0]]) };
    setBench({ drag: mine });
    watchSolving("c", [shifted(1002, 3)], { doubts: [], runs: [] });
    expect(bench().drag).toBe(mine);
  });
});

describe("a region with keys", () => {
  it("goes evenly from one key to the next and stands beyond them", () => {
    const region = carrier.patches![0]!;
    expect(regionPoints(region, 1003)[0]!.slice(0, 2)).toEqual([4, 2]);
    expect(regionPoints(region, 990)[0]!.slice(0, 2)).toEqual([0, 0]);
    expect(regionPoints(region, 1009)[0]!.slice(0, 2)).toEqual([8, 4]);
  });

  it("is seen where its carrier takes it", () => {
    setBench({ frame: 1002 });
    watchSolving("c", [shifted(1002, 3)], { doubts: [], runs: [] });
    expect([...regionSeen(bench(), carrier, "patch", 0)!.slice(0, 2)]).toEqual([5, 1]);
  });
});

it("a joint is drawn where an outline passes half beyond it", () => {
  const bar = shapeFrom(
    [
      [0, 0],
      [10, 0],
      [10, 4],
      [0, 4],
    ].map((p) => [...p, 0, 0, 0, 0]),
  );
  const ends = crossings(bar, [0, 1, 1, 0]);
  expect(ends.map(([x, y]) => [Math.round(x * 10) / 10, y])).toEqual([
    [5, 0],
    [5, 4],
  ]);
});

it("frames whose slip needs a look are pinned", () => {
  const slip = [0.1, 0.2, 0.9, 0.7];
  const pinned = [{ frame: 1003, need: 0.3, about: "c", what: "slips" as const }];
  const checks = { of: carrier, first: 1001, jitter: [], removed: [], slip, notable: 0.5, doubts: pinned };
  setBench({ checks, doubts: {}, near: null });
  expect(doubts(bench()).map((d) => d.frame)).toEqual([1003]);
  expect(worstOf(1001, slip)).toEqual([1003, 0.9]);
  expect(worstOf(1001, [null, undefined])).toBeNull();
});
