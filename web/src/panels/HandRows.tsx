import { X } from "lucide-react";

import type { Carrier, Edit } from "../api/client";
import { Button, Choice } from "../ui/Button";
import type { Bench } from "../state/bench";
import { Row } from "./Row";
import { send } from "../commands/send";

const EASES = [
  { value: "smooth", label: "Smooth", title: "Flow on in the speed of what is around" },
  { value: "linear", label: "Even", title: "Straight on at an even pace" },
  { value: "hold", label: "Hold", title: "Stay until what is known next" },
] as const;

/** What is set by hand of a carrier: the stitch or knot on this frame, and how the stretch goes on from its stitch. */
export function HandRows({ b, carrier }: { b: Bench; carrier: Carrier }) {
  const bridge = carrier.bridge ?? [];
  const corrections = carrier.corrections ?? [];
  const stitch = bridge.some((k) => k.frame === b.frame);
  const knot = corrections.some((k) => k.frame === b.frame);
  const before = bridge.filter((k) => k.frame <= b.frame).at(-1);
  const set = (change: object) => void send({ type: "set-by-hand", carrier: carrier.id, ...change } as Edit);
  return (
    <>
      {(stitch || knot) && (
        <Row label={`At ${b.frame}`}>
          {stitch && (
            <Button small onClick={() => set({ frame: b.frame, how: "bridge" })}>
              <X size={13} /> Stitch
            </Button>
          )}
          {knot && (
            <Button small onClick={() => set({ frame: b.frame, how: "correction" })}>
              <X size={13} /> Correction
            </Button>
          )}
        </Row>
      )}
      {before && (
        <Row label={`After ${before.frame}`}>
          <Choice
            options={[...EASES]}
            value={before.ease ?? "smooth"}
            onPick={(ease) => set({ frame: before.frame, how: "bridge", corners: before.corners, ease })}
          />
        </Row>
      )}
      {corrections.length > 0 && !knot && (
        <Row label="Corrections">
          <Button
            small
            title="From this frame on (or up to it) the motion is as it was solved"
            onClick={() => set({ frame: b.frame, how: "correction", none: true })}
          >
            None at {b.frame}
          </Button>
        </Row>
      )}
    </>
  );
}
