import { bench } from "../state/bench";
import { Reach } from "../state/slices/tools";
import { setBench } from "../state/bench";

/** How far an edit on this frame goes. */
export const REACHES: { value: Reach; label: string; title: string }[] = [
  { value: "frame", label: "This frame", title: "An edit touches this frame only  (R changes it)" },
  { value: "all", label: "All keys", title: "An edit moves all keys likewise  (R changes it)" },
  {
    value: "onward",
    label: "From here on",
    title: "An edit moves this and all later keys likewise  (R changes it)",
  },
  { value: "range", label: "Range", title: "An edit dies away beyond a range of frames  (R changes it)" },
];

/** Choose how far edits go; a range begins as the loop, or as the frames around this one. */
export function pickReach(reach: Reach) {
  const { range, loop, frame, shot } = bench();
  if (!shot) return;
  const { first, count } = shot.plate;
  const last = first + count - 1;
  const start = loop ?? [Math.max(frame - 5, first), Math.min(frame + 5, last)];
  setBench({ reach, range: range ?? { first: start[0], last: start[1], soft: 5 } });
}
