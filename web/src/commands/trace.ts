import { api, data, say } from "../api/client";
import type { Started } from "../shapes/starters";
import { bench, setBench } from "../state/bench";

/** How far, in plate pixels, the outline may be from the traced line to begin with. */
const FIRST_TOLERANCE = 1;

export type Place = [number, number];

/** What has been traced: a stretch for each anchor but the first, and the one to the pointer. */
interface Line {
  shot: string;
  frame: number;
  anchors: Place[];
  stretches: Place[][];
  ahead: Place[];
}

/** Asks the server for lines along the edges of a frame: newest wish first, one question in flight. */
class EdgeLink {
  private socket: WebSocket | null = null;
  private busy = false;
  private wanted: { place: Place; anchor: Place | null; at: number; frame: number } | null = null;
  private sentAt = 0;
  private prepared = "";

  constructor(private take: (line: Float32Array) => void) {}

  ask(shot: string, frame: number, place: Place, anchor: Place | null, at: number) {
    // A stretch that begins must not be overtaken by the next move.
    this.wanted = { place, anchor: anchor ?? this.wanted?.anchor ?? null, at, frame };
    this.open(shot);
    this.pump();
  }

  forget() {
    this.wanted = null;
  }

  /** Have the server look for the edges of a frame before the first click needs them. */
  prepare(shot: string, frame: number) {
    const key = `${shot} ${frame}`;
    if (this.prepared === key) return;
    const ready = this.open(shot);
    if (ready.readyState !== WebSocket.OPEN || this.busy) return;
    this.prepared = key;
    this.busy = true;
    this.sentAt = 0;
    ready.send(JSON.stringify({ frame, anchor: [0, 0], place: [0, 0] }));
  }

  private open(shot: string): WebSocket {
    const { socket } = this;
    if (socket && socket.readyState <= WebSocket.OPEN && socket.url.includes(shot)) return socket;
    socket?.close();
    const scheme = location.protocol === "https:" ? "wss" : "ws";
    const fresh = new WebSocket(`${scheme}://${location.host}/api/shots/${shot}/trace`);
    fresh.binaryType = "arraybuffer";
    fresh.onopen = () => this.pump();
    fresh.onmessage = (event: MessageEvent<ArrayBuffer | string>) => {
      this.busy = false;
      if (event.data instanceof ArrayBuffer) {
        this.take(new Float32Array(event.data));
        if (this.sentAt) performance.measure("trace", { start: this.sentAt, end: performance.now() });
      } else say((JSON.parse(event.data) as { message: string }).message);
      this.pump();
    };
    this.busy = false;
    this.socket = fresh;
    return fresh;
  }

  private pump() {
    if (this.busy || !this.wanted || this.socket?.readyState !== WebSocket.OPEN) return;
    const { frame, anchor, place, at } = this.wanted;
    this.busy = true;
    this.sentAt = at;
    this.wanted = null;
    this.socket.send(JSON.stringify({ frame, anchor, place }));
  }
}

/** A line that follows the edge in the plate from pin to pin, until it is closed and becomes an outline. */
class Tracing {
  private line: Line | null = null;
  private link = new EdgeLink((numbers) => this.take(numbers));
  private answered: (() => void) | null = null;

  get isUnderWay() {
    return this.line !== null;
  }

  /** Whether the line is of what is looked at now; else it has to begin anew. */
  get isHere() {
    const { shot, frame } = bench();
    return this.line !== null && this.line.frame === frame && this.line.shot === shot?.id;
  }

  /** The first pin, where a click closes the line once there are two. */
  get closesAt(): Place | null {
    return this.line && this.line.anchors.length >= 2 ? this.line.anchors[0]! : null;
  }

  begin(place: Place) {
    const { shot, frame } = bench();
    if (!shot) return;
    this.line = { shot: shot.id, frame, anchors: [place], stretches: [], ahead: [] };
    this.ask(place, place);
    this.show();
  }

  /** The stretch to the pointer becomes part of the line, and a new one begins. */
  pin(place: Place) {
    const { line } = this;
    if (!line) return;
    const reaches = line.ahead.at(-1);
    const near = reaches && Math.hypot(reaches[0] - place[0], reaches[1] - place[1]) < 3;
    const end: Place = near ? reaches : place;
    this.add(near ? line.ahead : [line.anchors.at(-1)!, end], end);
  }

  /** A stretch that was drawn by hand becomes part of the line. */
  add(stretch: Place[], end: Place) {
    const { line } = this;
    if (!line) return;
    line.stretches.push(stretch);
    line.anchors.push(end);
    line.ahead = [];
    this.ask(end, end);
    this.show();
  }

  /** The stretch to the pointer, as the hand draws it. */
  drawAhead(stretch: Place[]) {
    if (!this.line) return;
    this.line.ahead = stretch;
    this.show();
  }

  /** The pointer moves: the line follows the edge to it, or goes freely. */
  hover(place: Place, freely: boolean, at: number) {
    const { line } = this;
    if (!line) {
      const { shot, frame } = bench();
      return shot ? this.link.prepare(shot.id, frame) : undefined;
    }
    if (freely) return this.drawAhead([...(line.ahead.length ? line.ahead : [line.anchors.at(-1)!]), place]);
    this.link.ask(line.shot, line.frame, place, null, at);
  }

  /** Take back the last pin. */
  back() {
    const { line } = this;
    if (!line) return;
    line.anchors.pop();
    line.stretches.pop();
    line.ahead = [];
    const last = line.anchors.at(-1);
    if (!last) return this.drop();
    this.ask(last, last);
    this.show();
  }

  drop() {
    this.line = null;
    this.link.forget();
    setBench({ draft: null });
  }

  /** Close the line along the edge and make an outline of it, whose closeness can then be chosen. */
  close() {
    if (!this.closesAt) return;
    const [first, last] = [this.line!.anchors[0]!, this.line!.anchors.at(-1)!];
    this.answered = () => {
      const whole = [...this.line!.stretches.flat(), ...this.line!.ahead];
      this.line = null;
      this.link.forget();
      void fits.show(whole, FIRST_TOLERANCE);
    };
    this.ask(first, last);
  }

  private ask(place: Place, anchor: Place) {
    if (this.line) this.link.ask(this.line.shot, this.line.frame, place, anchor, performance.now());
  }

  private take(numbers: Float32Array) {
    const { line } = this;
    if (!line) return;
    line.ahead = [];
    for (let i = 0; i < numbers.length; i += 2) line.ahead.push([numbers[i]!, numbers[i + 1]!]);
    const done = this.answered;
    this.answered = null;
    done?.();
    this.show();
  }

  private show() {
    if (!this.line) return;
    const { stretches, ahead, anchors } = this.line;
    const line = [...stretches.flat(), ...ahead];
    const points = (line.length ? line : anchors).map(([x, y]) => [x, y, 0, 0, 0, 0]);
    setBench({ draft: { kind: "trace", points, kinds: [], pointer: null, anchors } });
  }
}

/** Outlines with few points that are as close to a line as wanted; kept or given up after that. */
class Fits {
  private wanted: { line: Place[]; tolerance: number } | null = null;
  private underWay = false;

  /** Whether an outline for a line is on its way. */
  get isUnderWay() {
    return this.underWay;
  }

  async show(line: Place[], tolerance: number) {
    const { fitting } = bench();
    // The slider stays where the hand put it while the answer is on its way; of what it asks only the last counts.
    if (fitting) setBench({ fitting: { ...fitting, tolerance } });
    this.wanted = { line, tolerance };
    if (this.underWay) return;
    this.underWay = true;
    while (this.wanted) {
      const asked: { line: Place[]; tolerance: number } = this.wanted;
      this.wanted = null;
      await this.one(asked.line, asked.tolerance);
    }
    this.underWay = false;
  }

  private async one(line: Place[], tolerance: number) {
    try {
      const body = { line: line.flat(), tolerance };
      const drawn = await data<Started>(api.POST("/api/fit", { body }));
      const { fitting, draft } = bench();
      // The line is on the display until its outline is, unless it was given up.
      if (fitting ?? draft)
        setBench({ draft: null, fitting: { line, ...drawn, tolerance: fitting?.tolerance ?? tolerance } });
    } catch (error) {
      setBench({ draft: null, fitting: null });
      say(error);
    }
  }
}

/** The page's one trace, and the outlines that are fitted to what was traced. */
export const tracing = new Tracing();
export const fits = new Fits();
