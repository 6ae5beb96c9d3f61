import { bench, setBench } from "../state/bench";
import { useView } from "../state/view";

/** Put a divider through the middle of the picture, beyond which the plate is shown, or take it away. */
export function toggleDivider() {
  const { divider, look } = bench();
  const { plateWidth, plateHeight } = useView.getState();
  const beyond = look === "plate" ? "composite" : "plate";
  setBench({ divider: divider ? null : { x: plateWidth / 2, y: plateHeight / 2, lean: 0, beyond } });
}
