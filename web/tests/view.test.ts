import { beforeEach, describe, expect, it } from "vitest";

import { toPlate, toScreen, useView } from "../src/state/view";

const view = useView.getState;

beforeEach(() => {
  view().resize(900, 600);
  view().setPlate(1280, 720, 1);
});

describe("the view", () => {
  it("fits the plate into the viewer, in the middle", () => {
    const [left, top] = toScreen(view(), 0, 0);
    const [right, bottom] = toScreen(view(), 1280, 720);
    expect(left).toBeCloseTo(900 - right);
    expect(top).toBeCloseTo(600 - bottom);
    expect(right - left).toBeCloseTo(872);
  });

  it("stretches pixels that are not square", () => {
    view().setPlate(720, 576, 64 / 45);
    const [left, top] = toScreen(view(), 0, 0);
    const [right, bottom] = toScreen(view(), 720, 576);
    expect((right - left) / (bottom - top)).toBeCloseTo(((720 / 576) * 64) / 45);
  });

  it("goes there and back", () => {
    view().zoomTo(3.7, 120, 80);
    view().pan(13, -9);
    const [x, y] = toPlate(view(), ...toScreen(view(), 321.5, 77.25));
    expect(x).toBeCloseTo(321.5);
    expect(y).toBeCloseTo(77.25);
  });

  it("keeps what is under the pointer when it zooms", () => {
    const before = toPlate(view(), 300, 200);
    view().zoomTo(2, 300, 200);
    const after = toPlate(view(), 300, 200);
    expect(after[0]).toBeCloseTo(before[0]);
    expect(after[1]).toBeCloseTo(before[1]);
  });

  it("never zooms beyond its ends", () => {
    view().zoomTo(1e9);
    expect(view().zoom).toBe(32);
    view().zoomTo(0);
    expect(view().zoom).toBe(0.05);
  });

  it("stays fitted when the window grows, and keeps its zoom when it was moved by hand", () => {
    view().resize(1200, 800);
    expect(toScreen(view(), 1280, 0)[0]).toBeCloseTo(1186);
    view().zoomTo(1);
    view().resize(800, 500);
    expect(view().zoom).toBe(1);
  });
});
