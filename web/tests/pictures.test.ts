import { afterEach, beforeEach, describe, expect, it, vi } from "vitest";

import { PictureStore } from "../src/viewer/pictures";

/** A server that answers when it is told to. */
let waiting: Map<string, (ok: boolean) => void>;

beforeEach(() => {
  waiting = new Map();
  vi.stubGlobal("fetch", (url: string) => {
    return new Promise((done) => {
      waiting.set(url, (ok) => done({ ok, status: ok ? 200 : 503, blob: async () => ({ size: 10 }) }));
    });
  });
  vi.stubGlobal("createImageBitmap", async () => ({ width: 10, height: 10, close: () => undefined }));
});
afterEach(() => vi.unstubAllGlobals());

const settle = () => new Promise((done) => setTimeout(done, 0));

async function answer(url: string, ok = true) {
  waiting.get(url)!(ok);
  waiting.delete(url);
  await settle();
}

describe("pictures", () => {
  it("begin with the most urgent one alone, then a few at a time", async () => {
    const arrived: string[] = [];
    const store = new PictureStore((url) => arrived.push(url));
    store.want(["a", "b", "c", "d", "e"]);
    expect([...waiting.keys()]).toEqual(["a"]);
    await answer("a");
    expect(arrived).toEqual(["a"]);
    expect(store.get("a")).toBeDefined();
    expect([...waiting.keys()]).toEqual(["b", "c", "d"]);
  });

  it("let a new urgent one pass those that are under way, and forget wishes that nobody has any more", async () => {
    const store = new PictureStore(() => undefined);
    store.want(["a", "b", "c", "d", "e"]);
    await answer("a");
    store.want(["z", "y"]);
    expect([...waiting.keys()]).toEqual(["b", "c", "d", "z"]);
    await answer("b");
    await answer("c");
    await answer("d");
    await answer("z");
    expect([...waiting.keys()]).toEqual(["y"]);
  });

  it("are asked for once", async () => {
    const store = new PictureStore(() => undefined);
    store.want(["a"]);
    store.want(["a"]);
    await answer("a");
    store.want(["a"]);
    expect(waiting.size).toBe(0);
  });

  it("that cannot be had are told and left alone for a while", async () => {
    const refused: string[] = [];
    const store = new PictureStore(
      () => undefined,
      (url) => refused.push(url),
    );
    store.want(["a", "b"]);
    await answer("a", false);
    expect(refused).toEqual(["a"]);
    store.want(["a", "b"]);
    expect([...waiting.keys()]).toEqual(["b"]);
  });
});
