import { beforeEach, expect, test } from "vitest";

import type { Cover, ShotState, Subject } from "../src/api/client";
import { bench, setBench } from "../src/state/bench";
import { doubts } from "../src/state/carriers";
import { freeCovers, keyedBy, servesAs, shown } from "../src/state/subjects";
import { counted, inDepth, isPlaced, partsOf } from "../src/state/lookups";
import { trySubject } from "../src/commands/subjects";

const cover = (id: string, name: string) =>
  ({ kind: "cover", id, name, colour: "#56b4e9", outlines: [`${id}o`] }) as unknown as Cover;
const subject = {
  kind: "subject",
  id: "who",
  name: "Presenter",
  colour: "#7a5aa0",
  keys: [{ frame: 1001, corners: [] }],
  key: { source: "colour", samples: [] },
  core: ["body"],
  garbage: ["boom"],
} as unknown as Subject;

beforeEach(() => {
  setBench({
    shot: {
      id: "s",
      revision: 3,
      plate: { media: "m", width: 10, height: 10, first: 1001, count: 9, rate_num: 25, rate_den: 1 },
      elements: {
        settings: { kind: "settings", id: "settings", name: "Shot", depth: ["body", "boom", "leaf", "who"] },
        body: cover("body", "Body"),
        boom: cover("boom", "Boom"),
        leaf: cover("leaf", "Leaf"),
        who: subject,
      },
      geometry: {},
    } as unknown as ShotState,
    selected: null,
    also: new Set(),
    solo: new Set(),
    scope: "all",
    near: null,
    trial: null,
  });
});

test("covers that a subject names say so, and only the others can be chosen", () => {
  expect(servesAs(bench(), "body")).toBe("core of Presenter");
  expect(servesAs(bench(), "boom")).toBe("garbage of Presenter");
  expect(servesAs(bench(), "leaf")).toBe("");
  expect(freeCovers(bench()).map((c) => c.name)).toEqual(["Leaf"]);
});

test("a card says how a subject is keyed", () => {
  const sample = { frame: 1001, box: [0, 0, 4, 4], colour: [0, 0.3, 0] } as never;
  expect(keyedBy(subject)).toBe("subject, not keyed yet");
  expect(keyedBy({ ...subject, key: { ...subject.key, samples: [sample] } } as Subject)).toBe(
    "subject, 1 sample",
  );
  expect(keyedBy({ ...subject, key: { source: "alpha" } } as Subject)).toBe("subject, by alpha");
});

test("only a subject from a clip of its own has a shape on the picture", () => {
  expect(inDepth(bench()).map((t) => t.id)).toEqual(["body", "boom", "leaf", "who"]);
  expect(partsOf(subject)).toEqual([]);
  expect(partsOf({ ...subject, clip: "c" })).toEqual(["who"]);
  expect(isPlaced({ kind: "pane" })).toBe(true);
});

test("a look of the chosen thing alone counts a subject as well", () => {
  setBench({ selected: "who", scope: "cover" });
  expect(counted(bench())).toEqual(["who"]);
  setBench({ scope: "all" });
  expect(counted(bench())).toBeNull();
});

test("what is tried is written as the edit that would keep it", () => {
  trySubject(subject, { opacity: 0.5 });
  expect(JSON.parse(bench().trial!)).toEqual({ type: "set-subject", subject: "who", opacity: 0.5 });
  trySubject(subject, null);
  expect(bench().trial).toBeNull();
});

test("garbage that cuts is a worse pin than garbage that is close, and none is left of a subject that is gone", () => {
  const at = (frame: number, need: number) => ({ frame, need, about: "boom", what: "near" as const });
  const doubted = [at(1003, 0.4), at(1005, 0.8)];
  setBench({ near: { of: subject, revision: 3, found: [], doubts: doubted }, doubts: {}, checks: null });
  expect(doubts(bench()).map((d) => d.frame)).toEqual([1005, 1003]);
  setBench({ near: { of: { ...subject, id: "gone" }, revision: 3, found: [], doubts: doubted } });
  expect(doubts(bench())).toEqual([]);
});

test("linear light is written as the screen shows it", () => {
  expect(shown([0, 1, 0.216])).toBe("#00ff80");
  expect(shown([-1, 2, 0.0031])).toBe("#00ff0a");
});
