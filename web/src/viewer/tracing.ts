import { tracing, type Place } from "../commands/trace";
import { toPlate, toScreen, useView } from "../state/view";
import type { Gesture, PointerAt } from "./gesture";

const CLOSE_REACH = 11;

/** A press with the trace tool: a pin, or the end where it is on the first one. With Shift held the line is free. */
export function beginTrace(start: PointerAt): Gesture | null {
  const v = useView.getState();
  const place = toPlate(v, start.x, start.y);
  if (!tracing.isHere) {
    tracing.begin(place);
    return byHand(place);
  }
  const { closesAt } = tracing;
  const [fx, fy] = closesAt ? toScreen(v, ...closesAt) : [Infinity, Infinity];
  if (Math.hypot(fx - start.x, fy - start.y) <= CLOSE_REACH) {
    tracing.close();
    return null;
  }
  tracing.pin(place);
  return byHand(place);
}

/** While the button is held the line is drawn freely, as far as the pointer goes. */
function byHand(from: Place): Gesture {
  const line: Place[] = [from];
  return {
    move: (at) => {
      line.push(toPlate(useView.getState(), at.x, at.y));
      tracing.drawAhead(line);
    },
    end: (at, travelled) => {
      if (!travelled) return;
      const end = toPlate(useView.getState(), at.x, at.y);
      tracing.add([...line, end], end);
    },
  };
}
