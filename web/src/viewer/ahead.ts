import { api, data } from "../api/client";
import { worksAhead } from "../state/ahead";
import { bench } from "../state/bench";
import { lastFrame } from "../state/plate";
import { runsOf } from "../state/runs";
import { useReady } from "../state/ready";
import type { Bench } from "../state/types";
import { addressOf, isRendered, mannerOf, mannerQuery } from "./addresses";
import type { PictureStore } from "./pictures";

/** Milliseconds that the hand rests before anything is rendered ahead. */
const REST = 1200;
/** Milliseconds between two accounts of what is ready. */
const PAUSE = 250;

/** Has the look that is shown rendered from the playhead on while the hand rests, and says which frames are ready. */
export class Ahead {
  private timer = 0;
  private noting = 0;
  /** Frames that the server has rendered, by the revision since which they look so; of one look, shown in one way. */
  private there = new Map<number, number>();
  private thereOf = "";

  constructor(private pictures: PictureStore) {}

  close() {
    window.clearTimeout(this.timer);
    window.clearTimeout(this.noting);
    useReady.setState({ runs: [] });
  }

  /** Something was done, so that it has to be waited again. */
  stirred() {
    window.clearTimeout(this.timer);
    this.timer = window.setTimeout(() => void this.begin(), REST);
    this.note();
  }

  /** Say soon which frames are ready. */
  note() {
    this.noting ||= window.setTimeout(() => {
      this.noting = 0;
      const b = bench();
      // While something is dragged, nothing becomes ready that is to be told.
      if (b.shot && !b.drag) useReady.setState({ runs: isRendered(b.look) ? runsOf(this.frames(b)) : [] });
    }, PAUSE);
  }

  private frames(b: Bench): number[] {
    const { first, count } = b.shot!.plate;
    const known = this.thereOf === nameOf(b);
    return Array.from({ length: count }, (_, k) => first + k).filter(
      (frame, k) =>
        (known && this.there.get(frame) === b.versions[k]) ||
        this.pictures.holds(addressOf(b, b.look, frame, "proxy")),
    );
  }

  private async begin() {
    const b = bench();
    if (!b.shot || !isRendered(b.look) || b.playing || b.trial || b.drag || document.hidden) return;
    if (this.thereOf !== nameOf(b)) await this.ask(b);
    const now = bench();
    if (!worksAhead() || now.shot?.revision !== b.shot.revision || nameOf(now) !== nameOf(b)) return;
    const ready = new Set(this.frames(b));
    const [from, to] = b.loop ?? [b.shot.plate.first, lastFrame(b.shot.plate)];
    const frames = Array.from({ length: to - from + 1 }, (_, k) => from + k).filter((f) => !ready.has(f));
    // What comes after the playhead is played first.
    const turn = (f: number) => (f >= b.frame ? f - b.frame : (b.frame - f) * 2);
    frames.sort((p, q) => turn(p) - turn(q));
    this.pictures.fill(frames.map((f) => addressOf(b, b.look, f, "proxy")));
  }

  /** Which frames the server need not render any more. */
  private async ask(b: Bench) {
    const look = b.look as "composite";
    try {
      const { revision, runs } = await data<{ revision: number; runs: [number, number][] }>(
        api.GET("/api/shots/{shot_id}/ready/{look}", {
          params: {
            path: { shot_id: b.shot!.id, look },
            query: { size: "proxy", ...mannerOf(b, look) } as object,
          },
        }),
      );
      if (revision !== bench().shot?.revision) return;
      const { first } = b.shot!.plate;
      this.thereOf = nameOf(b);
      this.there = new Map(
        runs.flatMap(([from, to]) =>
          Array.from(
            { length: to - from + 1 },
            (_, k) => [from + k, bench().versions[from + k - first]!] as const,
          ),
        ),
      );
      this.note();
    } catch {
      // the bar then shows only what is here
    }
  }
}

/** Which pictures are meant: of a shot, in a look, shown in a way. */
const nameOf = (b: Bench) => `${b.shot!.id} ${b.look} ${mannerQuery(b, b.look)}`;
