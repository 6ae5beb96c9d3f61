import type { Shape } from "../shapes/shape";
import type { MannerOf } from "./addresses";

/** What is being dragged just now, as the server wants it. */
export interface LiveRequest extends MannerOf {
  revision: number;
  frame: number;
  look: "matte" | "cutout" | "composite";
  size: "full" | "proxy";
  element: string;
  shape: Shape;
  /** Time of the pointer event that this shape comes from, for measuring. */
  at: number;
}

/** Live look while dragging: newest wins, one request in flight, answers painted onto a copy of the look. */
export class LiveLink {
  private socket: WebSocket | null = null;
  private inFlight: LiveRequest | null = null;
  private waiting: LiveRequest | null = null;
  private canvas: OffscreenCanvas | null = null;
  private key = "";
  /** Pointer time of the newest answer that has not been drawn yet. */
  fresh: number | null = null;

  constructor(
    private shot: string,
    private changed: () => void,
  ) {}

  /** The look with what is dragged in it, where it belongs to this frame, look and size. */
  picture(key: string): OffscreenCanvas | null {
    return this.canvas && this.key === key ? this.canvas : null;
  }

  /** Start from the look as it is. */
  begin(key: string, base: ImageBitmap) {
    this.canvas = new OffscreenCanvas(base.width, base.height);
    this.canvas.getContext("2d", { willReadFrequently: true })!.drawImage(base, 0, 0);
    this.key = key;
  }

  /** Forget the dragged look; the committed one is there. */
  end() {
    this.canvas = null;
    this.waiting = null;
  }

  push(request: LiveRequest) {
    this.waiting = request;
    if (!this.socket || this.socket.readyState > WebSocket.OPEN) this.open();
    this.pump();
  }

  close() {
    this.socket?.close();
    this.socket = null;
  }

  private open() {
    const scheme = location.protocol === "https:" ? "wss" : "ws";
    this.socket = new WebSocket(`${scheme}://${location.host}/api/shots/${this.shot}/live`);
    this.socket.binaryType = "arraybuffer";
    this.inFlight = null;
    this.socket.onopen = () => this.pump();
    this.socket.onmessage = (event: MessageEvent<ArrayBuffer | string>) => {
      if (event.data instanceof ArrayBuffer) this.paint(event.data);
      this.inFlight = null;
      this.pump();
    };
  }

  private pump() {
    if (!this.waiting || this.inFlight || this.socket?.readyState !== WebSocket.OPEN) return;
    const { shape, at, ...rest } = this.waiting;
    this.inFlight = { shape, at, ...rest };
    this.waiting = null;
    this.socket.send(JSON.stringify({ ...rest, points: Array.from(shape) }));
  }

  private paint(buffer: ArrayBuffer) {
    const [left, top, width, height, channels] = new Uint16Array(buffer, 0, 6);
    if (!this.canvas || !width || !height) return;
    const source = new Uint8Array(buffer, 12);
    const image = new ImageData(width, height);
    const target = new Uint32Array(image.data.buffer);
    if (channels === 1) {
      for (let i = 0; i < target.length; i += 1) target[i] = 0xff000000 | (source[i]! * 0x010101);
    } else {
      for (let i = 0, k = 0; i < target.length; i += 1, k += 3) {
        target[i] = 0xff000000 | (source[k + 2]! << 16) | (source[k + 1]! << 8) | source[k]!;
      }
    }
    this.canvas.getContext("2d")!.putImageData(image, left!, top!);
    this.fresh = this.inFlight?.at ?? null;
    this.changed();
  }
}
