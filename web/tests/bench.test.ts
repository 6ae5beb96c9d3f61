import { beforeEach, describe, expect, it } from "vitest";

import type { ShotChange, ShotState } from "../src/api/client";
import { absorb, adopt, bench, goTo, select, setBench } from "../src/state/bench";
import { inOrder } from "../src/viewer/draw";
import { keyFrames, present, shapeOf } from "../src/state/lookups";

function geometry(points: number[]) {
  const bytes = new Uint8Array(Float32Array.from(points).buffer);
  return {
    first: 1001,
    frames: 1,
    points: points.length / 8,
    carriers: [],
    whole: false,
    data: btoa(String.fromCharCode(...bytes)),
  };
}

const triangle = [
  [0, 0],
  [10, 0],
  [0, 10],
].flatMap(([x, y]) => [x!, y!, 0, 0, 0, 0, 0, 0]);
const outline = {
  kind: "outline",
  id: "o1",
  cover: "c1",
  mode: "adds",
  kinds: ["corner", "corner", "corner"],
  keys: [{ frame: 1001, points: [], ease: "smooth" }],
  joints: [],
};
const cover = {
  kind: "cover",
  id: "c1",
  name: "Hand",
  colour: "#56b4e9",
  shown: true,
  locked: false,
  outlines: ["o1"],
};

const state = {
  id: "s1",
  revision: 4,
  plate: {
    media: "m",
    width: 100,
    height: 80,
    first: 1001,
    count: 10,
    rate_num: 25,
    rate_den: 1,
    pixel_aspect: 1,
  },
  elements: {
    settings: { kind: "settings", id: "settings", name: "Tap", depth: ["c1"] },
    c1: cover,
    o1: outline,
  },
  geometry: { o1: geometry(triangle) },
  undo: null,
  redo: null,
} as unknown as ShotState;

function change(part: Partial<ShotChange>): ShotChange {
  return {
    revision: 5,
    label: "Moved",
    made: null,
    elements: {},
    geometry: {},
    frames: null,
    since: 0,
    others: [],
    undo: "Moved",
    redo: null,
    ...part,
  } as ShotChange;
}

beforeEach(() => {
  setBench({ shot: null });
  adopt(state);
});

describe("the workbench's state", () => {
  it("selects a cover with its first outline, and forgets both when they are gone", () => {
    select("c1");
    expect(bench().active).toBe("o1");
    absorb(change({ elements: { c1: null, o1: null } as unknown as ShotChange["elements"] }));
    expect(bench().selected).toBeNull();
    expect(bench().active).toBeNull();
    expect(bench().tracks).toEqual({});
  });

  it("marks only the frames that an edit changed as new", () => {
    absorb(change({ frames: [1003, 1005] }));
    expect([...bench().versions]).toEqual([4, 4, 5, 5, 5, 4, 4, 4, 4, 4]);
    expect(bench().shot?.revision).toBe(5);
  });

  it("shows what is dragged until the server has answered about it", () => {
    const dragged = Float64Array.from(triangle).map((v) => v + 1);
    setBench({ drag: { element: "o1", frame: 1001, shape: dragged } });
    expect(shapeOf(bench(), "o1", 1001)).toBe(dragged);
    expect([...shapeOf(bench(), "o1", 1002)!]).toEqual(triangle);
    absorb(change({ elements: { o1: outline } as unknown as ShotChange["elements"] }));
    expect([...shapeOf(bench(), "o1", 1001)!]).toEqual(triangle);
  });

  it("keeps in hand what a further change about the same element still waits to be answered for", () => {
    const newer = Float64Array.from(triangle).map((v) => v + 2);
    setBench({ drag: { element: "o1", frame: 1001, shape: newer } });
    const answer = change({ elements: { o1: outline } as unknown as ShotChange["elements"] });
    absorb(answer, ["o1"]);
    expect(shapeOf(bench(), "o1", 1001)).toBe(newer);
    absorb(answer);
    expect([...shapeOf(bench(), "o1", 1001)!]).toEqual(triangle);
  });

  it("keeps the chosen keys that are still there after an edit", () => {
    const keyed = (...frames: number[]) =>
      ({ o1: { ...outline, keys: frames.map((frame) => ({ frame })) } }) as unknown as ShotChange["elements"];
    setBench({ keys: { element: "o1", frames: new Set([1001, 1004]) } });
    absorb(change({ elements: keyed(1001, 1004, 1009) }));
    expect([...bench().keys!.frames]).toEqual([1001, 1004]);
    absorb(change({ elements: keyed(1004, 1009) }));
    expect([...bench().keys!.frames]).toEqual([1004]);
    absorb(change({ elements: keyed(1009) }));
    expect(bench().keys).toBeNull();
  });

  it("keeps frame and selection when a newer state comes from elsewhere", () => {
    select("c1");
    goTo(1006);
    adopt({ ...state, revision: 9 });
    expect([bench().frame, bench().selected, bench().shot?.revision]).toEqual([1006, "c1", 9]);
  });

  it("never leaves the plate", () => {
    goTo(5);
    expect(bench().frame).toBe(1001);
    goTo(9999);
    expect(bench().frame).toBe(1010);
  });

  it("knows keys, and when a cover is there", () => {
    expect(keyFrames(bench(), "o1")).toEqual([1001]);
    const short = { ...cover, first: 1003, last: 1004 } as Parameters<typeof present>[0];
    expect([1002, 1003, 1004, 1005].map((f) => present(short, f))).toEqual([false, true, true, false]);
  });
});

describe("a pane's corners", () => {
  it.each([
    [
      [
        [0, 0],
        [10, 1],
        [11, 9],
        [1, 8],
      ],
    ],
    [
      [
        [10, 1],
        [0, 0],
        [1, 8],
        [11, 9],
      ],
    ],
    [
      [
        [11, 9],
        [0, 0],
        [10, 1],
        [1, 8],
      ],
    ],
  ])("come in order whatever the order of the clicks", (clicks) => {
    expect(inOrder(clicks as [number, number][])).toEqual([
      [0, 0],
      [10, 1],
      [11, 9],
      [1, 8],
    ]);
  });
});
