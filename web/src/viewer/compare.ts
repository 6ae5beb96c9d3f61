import type { Divider } from "../state/slices/looks";
import { toScreen, type View } from "../state/view";

/** Where a picture lies in the viewer. */
export interface Put {
  x: number;
  y: number;
  width: number;
  height: number;
}

/** The other picture on the far side of the divider. */
export function drawBeyond(
  context: CanvasRenderingContext2D,
  other: CanvasImageSource,
  put: Put,
  { x, y, lean }: Divider,
  v: View,
) {
  const far = 4 * (v.width + v.height + put.width);
  const [left, top] = toScreen(v, x, y);
  context.save();
  context.translate(left, top);
  context.rotate((lean * Math.PI) / 180);
  context.beginPath();
  context.rect(0, -far, far, 2 * far);
  context.clip();
  context.rotate((-lean * Math.PI) / 180);
  context.translate(-left, -top);
  context.drawImage(other, put.x, put.y, put.width, put.height);
  context.restore();
}

/** What the other picture differs by from the one that is drawn, channel by channel, `gain` (a power of two) times brighter. */
export function drawDifference(
  context: CanvasRenderingContext2D,
  other: CanvasImageSource,
  put: Put,
  gain: number,
) {
  context.save();
  context.beginPath();
  context.rect(put.x, put.y, put.width, put.height);
  context.clip();
  context.globalCompositeOperation = "difference";
  context.drawImage(other, put.x, put.y, put.width, put.height);
  // Laid on itself as light it doubles.
  context.globalCompositeOperation = "lighter";
  context.setTransform(1, 0, 0, 1, 0, 0);
  for (let times = 1; times < gain; times *= 2) context.drawImage(context.canvas, 0, 0);
  context.restore();
}
