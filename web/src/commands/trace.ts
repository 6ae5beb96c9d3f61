import { api, data, tell } from "../api/client";
import { bench, setBench } from "../state/bench";
import type { Started } from "../shapes/starters";
import type { Gesture, PointerAt } from "../viewer/tools";
import { toPlate, toScreen, useView } from "../state/view";

const CLOSE_REACH = 11;
/** How far, in plate pixels, the outline may be from the traced line to begin with. */
export const FIRST_TOLERANCE = 1;

type Place = [number, number];

/** What has been traced: a stretch for each anchor but the first, and the one to the pointer. */
interface Trace {
  shot: string;
  frame: number;
  anchors: Place[];
  stretches: Place[][];
  ahead: Place[];
}

let trace: Trace | null = null;
let socket: WebSocket | null = null;
let busy = false;
let wanted: { place: Place; anchor: Place | null; at: number } | null = null;
let sentAt = 0;
let answered: (() => void) | null = null;

function link(shot: string): WebSocket {
  if (socket && socket.readyState <= WebSocket.OPEN && socket.url.includes(shot)) return socket;
  socket?.close();
  const scheme = location.protocol === "https:" ? "wss" : "ws";
  socket = new WebSocket(`${scheme}://${location.host}/api/shots/${shot}/trace`);
  socket.binaryType = "arraybuffer";
  busy = false;
  socket.onopen = pump;
  socket.onmessage = (event: MessageEvent<ArrayBuffer | string>) => {
    busy = false;
    if (event.data instanceof ArrayBuffer) {
      take(new Float32Array(event.data));
      if (sentAt) performance.measure("trace", { start: sentAt, end: performance.now() });
    } else tell((JSON.parse(event.data) as { message: string }).message);
    pump();
  };
  return socket;
}

function pump() {
  if (busy || !wanted || !trace || socket?.readyState !== WebSocket.OPEN) return;
  busy = true;
  sentAt = wanted.at;
  socket.send(JSON.stringify({ frame: trace.frame, anchor: wanted.anchor, place: wanted.place }));
  wanted = null;
}

function ask(place: Place, anchor: Place | null, at: number) {
  // A stretch that begins must not be overtaken by the next move.
  wanted = { place, anchor: anchor ?? wanted?.anchor ?? null, at };
  if (trace) link(trace.shot);
  pump();
}

function take(numbers: Float32Array) {
  if (!trace) return;
  trace.ahead = [];
  for (let i = 0; i < numbers.length; i += 2) trace.ahead.push([numbers[i]!, numbers[i + 1]!]);
  const done = answered;
  answered = null;
  done?.();
  show();
}

function show() {
  if (!trace) return;
  const line = [...trace.stretches.flat(), ...trace.ahead];
  const points = (line.length ? line : trace.anchors).map(([x, y]) => [x, y, 0, 0, 0, 0]);
  setBench({ draft: { kind: "trace", points, kinds: [], pointer: null, anchors: trace.anchors } });
}

/** A press with the trace tool: an anchor, or the end where it is on the first one. With Shift held the line is free. */
export function beginTrace(start: PointerAt): Gesture | null {
  const v = useView.getState();
  const b = bench();
  const place = toPlate(v, start.x, start.y);
  if (!trace || trace.frame !== b.frame || trace.shot !== b.shot!.id) {
    trace = { shot: b.shot!.id, frame: b.frame, anchors: [place], stretches: [], ahead: [] };
    ask(place, place, performance.now());
    show();
    return byHand(place);
  }
  const [fx, fy] = toScreen(v, ...trace.anchors[0]!);
  if (trace.anchors.length >= 2 && Math.hypot(fx - start.x, fy - start.y) <= CLOSE_REACH) {
    closeTrace();
    return null;
  }
  settle(place);
  return byHand(place);
}

/** The stretch to the pointer becomes part of the line, and a new one begins. */
function settle(place: Place) {
  if (!trace) return;
  const reaches = trace.ahead.at(-1);
  const near = reaches && Math.hypot(reaches[0] - place[0], reaches[1] - place[1]) < 3;
  const end: Place = near ? reaches : place;
  trace.stretches.push(near ? trace.ahead : [trace.anchors.at(-1)!, end]);
  trace.anchors.push(end);
  trace.ahead = [];
  ask(end, end, performance.now());
  show();
}

/** While the button is held the line is drawn freely, as far as the pointer goes. */
function byHand(from: Place): Gesture {
  const line: Place[] = [from];
  return {
    move: (at) => {
      if (!trace) return;
      line.push(toPlate(useView.getState(), at.x, at.y));
      trace.ahead = line;
      show();
    },
    end: (at, travelled) => {
      if (!trace || !travelled) return;
      const end = toPlate(useView.getState(), at.x, at.y);
      trace.stretches.push([...line, end]);
      trace.anchors.push(end);
      trace.ahead = [];
      ask(end, end, performance.now());
      show();
    },
  };
}

let prepared = "";

/** Have the server look for the edges of this frame before the first click needs them. */
function prepare(shot: string, frame: number) {
  const key = `${shot} ${frame}`;
  if (prepared === key) return;
  const ready = link(shot);
  if (ready.readyState !== WebSocket.OPEN || busy) return;
  prepared = key;
  busy = true;
  sentAt = 0;
  ready.send(JSON.stringify({ frame, anchor: [0, 0], place: [0, 0] }));
}

/** The pointer moves: the line follows the edge to it; with Shift it is drawn as the hand moves. */
export function hoverTrace(at: PointerAt, time: number) {
  if (!trace) {
    const { shot, frame } = bench();
    return shot ? prepare(shot.id, frame) : undefined;
  }
  const place = toPlate(useView.getState(), at.x, at.y);
  if (at.shift) {
    trace.ahead = [...(trace.ahead.length ? trace.ahead : [trace.anchors.at(-1)!]), place];
    return show();
  }
  ask(place, null, time);
}

/** Take back the last anchor. */
export function backTrace() {
  if (!trace) return;
  trace.anchors.pop();
  trace.stretches.pop();
  trace.ahead = [];
  const last = trace.anchors.at(-1);
  if (!last) return dropTrace();
  ask(last, last, performance.now());
  show();
}

export function dropTrace() {
  trace = null;
  wanted = null;
  setBench({ draft: null });
}

export const isTracing = () => trace !== null;

/** Close the line along the edge and make an outline of it, whose closeness can then be chosen. */
export function closeTrace() {
  if (!trace || trace.anchors.length < 2) return;
  const first = trace.anchors[0]!;
  answered = () => {
    const line = [...trace!.stretches.flat(), ...trace!.ahead];
    trace = null;
    wanted = null;
    void fitLine(line, FIRST_TOLERANCE);
  };
  ask(first, trace.anchors.at(-1)!, performance.now());
}

let wantedFit: { line: Place[]; tolerance: number } | null = null;
let fits = false;

/** Whether an outline for a line is on its way. */
export const isFitting = () => fits;

/** Show the outline with few points that is as close to a line as wanted; it is kept or given up after that. */
export async function fitLine(line: Place[], tolerance: number) {
  const { fitting } = bench();
  // The slider stays where the hand put it while the answer is on its way; of what it asks only the last counts.
  if (fitting) setBench({ fitting: { ...fitting, tolerance } });
  wantedFit = { line, tolerance };
  if (fits) return;
  fits = true;
  while (wantedFit) {
    const asked: { line: Place[]; tolerance: number } = wantedFit;
    wantedFit = null;
    try {
      const body = { line: asked.line.flat(), tolerance: asked.tolerance };
      const drawn = await data<Started>(api.POST("/api/fit", { body }));
      const { fitting: shown, draft } = bench();
      // The line is on the display until its outline is, unless it was given up.
      if (shown ?? draft)
        setBench({
          draft: null,
          fitting: { line: asked.line, ...drawn, tolerance: shown?.tolerance ?? asked.tolerance },
        });
    } catch (error) {
      setBench({ draft: null, fitting: null });
      tell(error);
    }
  }
  fits = false;
}
