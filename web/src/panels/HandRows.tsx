import { X } from "lucide-react";

import type { Carrier, ChangeOf } from "../api/client";
import { Button, Choice } from "../ui/Button";
import { Row } from "./Row";
import { send } from "../commands/send";
import { useFrame } from "../state/bench";

const EASES = [
  { value: "smooth", label: "Smooth", title: "Flow on in the speed of what is around" },
  { value: "linear", label: "Even", title: "Straight on at an even pace" },
  { value: "hold", label: "Hold", title: "Stay until what is known next" },
] as const;

/** What is set by hand of a carrier: the stitch or knot on this frame, and how the stretch goes on from its stitch. */
export function HandRows({ carrier }: { carrier: Carrier }) {
  const frame = useFrame();
  const bridge = carrier.bridge;
  const corrections = carrier.corrections;
  const stitch = bridge.some((k) => k.frame === frame);
  const knot = corrections.some((k) => k.frame === frame);
  const before = bridge.filter((k) => k.frame <= frame).at(-1);
  const set = (change: ChangeOf<"set-by-hand", "carrier">) =>
    void send({ type: "set-by-hand", carrier: carrier.id, ...change });
  return (
    <>
      {(stitch || knot) && (
        <Row label={`At ${frame}`}>
          {stitch && (
            <Button small onClick={() => set({ frame: frame, how: "bridge" })}>
              <X size={13} /> Stitch
            </Button>
          )}
          {knot && (
            <Button small onClick={() => set({ frame: frame, how: "correction" })}>
              <X size={13} /> Correction
            </Button>
          )}
        </Row>
      )}
      {before && (
        <Row label={`After ${before.frame}`}>
          <Choice
            options={[...EASES]}
            value={before.ease}
            onPick={(ease) => set({ frame: before.frame, how: "bridge", corners: before.corners, ease })}
          />
        </Row>
      )}
      {corrections.length > 0 && !knot && (
        <Row label="Corrections">
          <Button
            small
            title="From this frame on (or up to it) the motion is as it was solved"
            onClick={() => set({ frame: frame, how: "correction", none: true })}
          >
            None at {frame}
          </Button>
        </Row>
      )}
    </>
  );
}
