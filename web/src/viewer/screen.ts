import { shallow } from "zustand/shallow";
import { tableColour } from "../ui/room";
import { bench, useBench } from "../state/bench";
import type { Divider, Look } from "../state/slices/looks";
import { settingsOf } from "../state/lookups";
import { lastFrame } from "../state/plate";
import { Ahead } from "./ahead";
import { addressOf, comparedAddress, differenceAddress, isRendered, mannerOf, type Size } from "./addresses";
import { drawBeyond, drawDifference, type Put } from "./compare";
import { LiveLink } from "./live";
import { PictureStore } from "./pictures";
import { toScreen, useView, type View } from "../state/view";
import { Bench } from "../state/types";

const SIZES: Size[] = ["proxy", "full"];
const PROXY_WIDTH = 960;
const AROUND = 14;

/** Paints the chosen look onto a canvas, keeps neighbouring frames ready, and runs playback by the clock. */
export class Screen {
  private pictures: PictureStore;
  private live: LiveLink;
  private ahead: Ahead;
  private drawn: ImageBitmap | OffscreenCanvas | null = null;
  private drawnFor = "";
  private painted: unknown[] = [];
  private pending = 0;
  private started: { time: number; frame: number } | null = null;
  private ended: (() => void)[] = [];
  private sentShape: unknown = null;
  /** Frames that playback had to skip since it began. */
  dropped = 0;

  constructor(
    private canvas: HTMLCanvasElement,
    shotId: string,
    private refused: () => void,
  ) {
    this.pictures = new PictureStore(
      (url) => {
        if (this.isShown(url)) this.show();
      },
      () => this.refused(),
      (headers) => {
        const seconds = Number(headers.get("X-Soft-Edge"));
        if (seconds > 0 && seconds !== bench().softEdge) useBench.setState({ softEdge: seconds });
      },
      () => this.ahead.note(),
    );
    this.ahead = new Ahead(this.pictures);
    this.live = new LiveLink(shotId, () => this.ask());
    this.ended = [
      useBench.subscribe((b, before) => this.changed(b, before)),
      useView.subscribe(() => this.ask()),
      this.listenForLoss(),
    ];
    this.ask();
  }

  close() {
    cancelAnimationFrame(this.pending);
    this.ended.forEach((end) => end());
    this.live.close();
    this.ahead.close();
  }

  /** A canvas whose picture the browser has let go is painted again. */
  private listenForLoss(): () => void {
    const again = () => {
      this.painted = [];
      this.ask();
    };
    this.canvas.addEventListener("contextrestored", again);
    return () => this.canvas.removeEventListener("contextrestored", again);
  }

  /** Draw at the display's next frame. */
  ask() {
    if (!this.pending) this.pending = requestAnimationFrame((now) => this.tick(now));
  }

  /** Draw what has just come: the display shows it with its next frame, and nobody who watches for it waits for one more. */
  private show() {
    if (bench().playing || !bench().shot) this.ask();
    else this.draw();
  }

  private changed(b: Bench, before: Bench) {
    if (b.playing !== before.playing) {
      this.started = null;
      this.dropped = 0;
    }
    if (b.drag && b.drag.shape !== this.sentShape) this.pushDrag(b);
    if (!b.drag && before.drag) this.sentShape = null;
    if (b.trial !== before.trial && b.shot && !b.playing) this.wish();
    this.ask();
  }

  private size(): Size {
    const b = bench();
    const v = useView.getState();
    if (b.playing || !b.shot || b.shot.plate.width <= PROXY_WIDTH) return "proxy";
    return v.plateWidth * v.aspect * v.zoom * devicePixelRatio > PROXY_WIDTH * 1.02 ? "full" : "proxy";
  }

  /** What the viewer shows just now: the look, or the plate while its key is held. */
  private look(b: Bench): Look {
    return b.before && !b.divider ? "plate" : b.look;
  }

  /** Address of what is shown, which is the compared picture while the key is held and two are compared. */
  private url(b: Bench, frame: number, size: Size): string {
    const other = b.before ? comparedAddress(b, frame, size) : null;
    return other ?? addressOf(b, this.look(b), frame, size);
  }

  private isShown(url: string): boolean {
    const b = bench();
    if (!b.shot) return false;
    if (b.playing) return true;
    return SIZES.some(
      (size) =>
        url === this.url(b, b.frame, size) ||
        url === comparedAddress(b, b.frame, size) ||
        url === differenceAddress(b, b.frame, size),
    );
  }

  private pushDrag(b: Bench) {
    if (!b.shot || !b.drag || !isRendered(b.look)) return;
    const size = this.size();
    const key = addressOf(b, b.look, b.frame, size);
    if (!this.live.picture(key)) {
      const base = this.pictures.get(key);
      if (!base) return;
      this.live.begin(key, base);
    }
    this.sentShape = b.drag.shape;
    this.live.push({
      revision: b.shot.revision,
      frame: b.frame,
      look: b.look,
      size,
      element: b.drag.element,
      ...mannerOf(b, b.look),
      shape: b.drag.shape,
      at: lastPointer.time,
    });
  }

  private tick(now: number) {
    this.pending = 0;
    const b = bench();
    if (!b.shot) return;
    if (b.playing) this.play(b, now);
    this.draw();
    this.wish();
    if (b.playing) this.ask();
  }

  /** Playback follows the clock; where a frame is not there yet the clock waits for it, so that none is passed over. */
  private play(b: Bench, now: number) {
    const { plate } = b.shot!;
    const [from, to] = b.loop ?? [plate.first, lastFrame(plate)];
    this.started ??= { time: now, frame: b.frame };
    const rate = plate.rate_num / plate.rate_den;
    const span = to - from + 1;
    const due = this.started.frame + Math.floor(((now - this.started.time) / 1000) * rate + 1e-6);
    if (due === this.started.frame && b.frame === due) return;
    const wrap = (f: number) => from + ((((f - from) % span) + span) % span);
    const target = wrap(due);
    if (target === b.frame) return;
    const next = wrap(b.frame + 1);
    if (this.needed(b, target, "proxy").some((url) => !this.pictures.get(url))) {
      this.started = { time: now, frame: b.frame };
      return;
    }
    if (target !== next) this.dropped += (((target - next) % span) + span) % span;
    useBench.setState({ frame: target, asked: now });
  }

  private draw() {
    const b = bench();
    const v = useView.getState();
    const size = this.size();
    const context = this.canvas.getContext("2d", { alpha: false })!;
    const ratio = devicePixelRatio;
    const width = Math.round(v.width * ratio);
    const height = Math.round(v.height * ratio);
    if (this.canvas.width !== width || this.canvas.height !== height) {
      this.canvas.width = width;
      this.canvas.height = height;
    }
    const url = this.url(b, b.frame, size);
    const other = this.url(b, b.frame, size === "full" ? "proxy" : "full");
    const key = `${this.look(b)} ${b.frame}`;
    const live = this.live.picture(url);
    const told = live ? null : differenceAddress(b, b.frame, size);
    const exact = this.pictures.get(told ?? url);
    const fresh = live ?? exact ?? (told ? null : this.pictures.get(other));
    // Until the new picture comes the last one stays, unless it has been let go.
    const source = fresh ?? (this.drawn && this.drawn.width > 0 ? this.drawn : null);
    if (live === null && b.drag === null && exact) this.live.end();

    const divider = !told && !b.before ? b.divider : null;
    const far = divider && fresh ? this.compared(b, size) : undefined;
    const crop = settingsOf(b.shot!.elements)?.crop;
    const paint = [source, v, width, height, ratio, tableColour(), divider, far, ...(crop ?? [])];
    // What is dragged is painted anew into the same picture.
    if (live || !shallow(paint, this.painted)) {
      this.painted = paint;
      context.setTransform(ratio, 0, 0, ratio, 0, 0);
      context.fillStyle = tableColour();
      context.fillRect(0, 0, v.width, v.height);
      if (source) {
        const [x, y] = toScreen(v, 0, 0);
        const put = { x, y, width: v.plateWidth * v.aspect * v.zoom, height: v.plateHeight * v.zoom };
        context.imageSmoothingEnabled = v.zoom < 3;
        context.imageSmoothingQuality = "medium";
        context.drawImage(source, x, y, put.width, put.height);
        if (divider && far) beside(context, far, put, divider, v);
        if (crop) dimOutside(context, crop, v);
      }
    }
    if (fresh) {
      this.measure(b, key, live !== null);
      this.drawn = fresh;
      this.drawnFor = key;
    }
    if (!b.divider) this.canvas.dataset.compared = "";
    else if (source && told) this.canvas.dataset.compared = String(Boolean(exact));
    else if (source && divider) this.canvas.dataset.compared = String(Boolean(far));
    this.canvas.dataset.frame = this.drawnFor.split(" ")[1] ?? "";
    this.canvas.dataset.look = b.look;
    this.canvas.dataset.view = JSON.stringify({ zoom: v.zoom, x: v.x, y: v.y, aspect: v.aspect });
    this.canvas.dataset.settled = String(Boolean(exact) && !live && !b.drag);
    this.canvas.dataset.dropped = String(this.dropped);
  }

  /** The picture that is compared with the shown one, where it is here. */
  private compared(b: Bench, size: Size): ImageBitmap | undefined {
    return (
      this.pictures.get(comparedAddress(b, b.frame, size)!) ??
      this.pictures.get(comparedAddress(b, b.frame, size === "full" ? "proxy" : "full")!)
    );
  }

  /** User Timing marks, by which the browser tests measure: from the event to the picture. */
  private measure(b: Bench, key: string, live: boolean) {
    const end = performance.now();
    if (live && this.live.fresh !== null) {
      performance.measure("live-look", { start: this.live.fresh, end });
      this.live.fresh = null;
    }
    if (key !== this.drawnFor && !b.playing && b.asked > 0) {
      performance.measure("step", { start: b.asked, end, detail: key });
    }
  }

  /** Addresses of all pictures that a frame is shown by. */
  private needed(b: Bench, frame: number, size: Size): string[] {
    const told = differenceAddress(b, frame, size);
    const compared = comparedAddress(b, frame, size);
    const both = [this.url(b, frame, size), ...(compared ? [compared] : [])];
    // While something is dragged the two are compared here.
    return told ? [told, ...(frame === b.frame && !b.playing && !b.trial ? both : [])] : both;
  }

  /** Ask for what is shown, then for what is likely to be shown next. */
  private wish() {
    const b = bench();
    const size = this.size();
    const { plate } = b.shot!;
    const [from, to] = b.loop ?? [plate.first, lastFrame(plate)];
    const urls = this.needed(b, b.frame, size);
    const ahead = b.playing ? 40 : b.trial ? 0 : AROUND;
    const span = to - from + 1;
    for (let k = 1; k <= ahead; k += 1) {
      if (b.playing) {
        urls.push(...this.needed(b, from + ((((b.frame + k - from) % span) + span) % span), "proxy"));
      } else {
        for (const frame of [b.frame + k, b.frame - k]) {
          if (frame >= plate.first && frame <= lastFrame(plate))
            urls.push(differenceAddress(b, frame, "proxy") ?? addressOf(b, b.look, frame, "proxy"));
        }
      }
    }
    this.pictures.want(urls);
    this.ahead.stirred();
  }
}

/** What is compared, on the far side of the divider or as what it differs by. */
function beside(context: CanvasRenderingContext2D, other: ImageBitmap, put: Put, divider: Divider, v: View) {
  if (divider.way === "divider") drawBeyond(context, other, put, divider, v);
  else drawDifference(context, other, put, divider.gain);
}

/** What lies outside the shot's crop, dimmed. */
function dimOutside(context: CanvasRenderingContext2D, crop: readonly number[], v: View) {
  const [left, top] = toScreen(v, crop[0]!, crop[1]!);
  const [right, bottom] = toScreen(v, crop[2]!, crop[3]!);
  const [x0, y0] = toScreen(v, 0, 0);
  const [x1, y1] = toScreen(v, v.plateWidth, v.plateHeight);
  context.fillStyle = "rgb(12 16 17 / 0.62)";
  context.beginPath();
  context.rect(x0, y0, x1 - x0, y1 - y0);
  context.rect(left, top, right - left, bottom - top);
  context.fill("evenodd");
}

/** Time of the newest pointer event that changed a drag. */
export const lastPointer = { time: 0 };
