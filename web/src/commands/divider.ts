import { bench, setBench } from "../state/bench";
import { useView } from "../state/view";

/** Put a divider through the middle of the picture, beyond which the plate is shown, or take it away. */
export function toggleDivider() {
  const { divider, look } = bench();
  const { plateWidth, plateHeight } = useView.getState();
  const beyond = look === "plate" ? "composite" : "plate";
  const middle = { x: plateWidth / 2, y: plateHeight / 2, lean: 0 };
  setBench({
    divider: divider ? null : { ...middle, beyond, version: null, way: "divider", gain: 4 },
  });
}
