import { ArrowLeftRight, X } from "lucide-react";

import { bounds } from "../api/bounds";
import type { Outline } from "../api/client";
import { Button, IconButton } from "../ui/Button";
import { lastFrame } from "../state/plate";
import { NumberField } from "../ui/NumberField";
import { Select } from "../ui/Select";
import { paneOf } from "../state/lookups";
import { carrierOf, carriersOf } from "../state/carriers";
import { Row } from "./Row";
import { send } from "../commands/send";
import { solve } from "../commands/solving";
import { Settled } from "../state/types";
import { drawJoint } from "../commands/tools";
import { bench } from "../state/bench";

/** What something rides on; choosing another carrier leaves it where it is on all of its keys. */
export function RideRow(props: {
  b: Settled;
  elements: string[];
  rides: string | null;
  outline?: Outline | null;
}) {
  const { b, elements, rides, outline } = props;
  const carriers = carriersOf(b);
  const rough = outline && !rides && (
    <Button
      small
      look="quiet"
      title="What this outline surrounds becomes the patch of a new carrier, which is solved; the cover rides on it"
      onClick={() => void carry(outline)}
    >
      Solve its motion
    </Button>
  );
  if (carriers.length === 0) return rough ? <Row label="Rides on">{rough}</Row> : null;
  const options = [{ value: "", label: "Nothing" }, ...carriers.map((c) => ({ value: c.id, label: c.name }))];
  return (
    <>
      <Row label="Rides on">
        <Select
          label="Rides on"
          options={options}
          value={rides ?? ""}
          onPick={(carrier) => void send({ type: "ride", elements, carrier: carrier || null })}
        />
      </Row>
      {rough && <Row label="">{rough}</Row>}
      <PinRow b={b} />
      {outline && rides && <JointRows b={b} outline={outline} />}
    </>
  );
}

/** Rough cover, solve, ride, in one go: the outline as it is on this frame is the patch. */
async function carry(outline: Outline) {
  const { shot, frame } = bench();
  const change = await send({ type: "carry-cover", outline: outline.id, frame });
  const { plate } = shot!;
  if (change?.made) solve(change.made, plate.first, lastFrame(plate));
}

/** Where an outline bends: each joint's carrier, the width of its blending, its side; and another one. */
function JointRows({ b, outline }: { b: Settled; outline: Outline }) {
  const taken = new Set([outline.rides, ...outline.joints.map((j) => j.carrier)]);
  const free = carriersOf(b).filter((c) => !taken.has(c.id));
  const set = (index: number, change: object) =>
    void send({ type: "set-joint", outline: outline.id, index, ...change });
  return (
    <>
      {outline.joints.map((joint, index) => (
        <Row key={joint.carrier} label={index ? "" : "Bends to"}>
          <span className="basis-full truncate">{carrierOf(b, joint.carrier)?.name}</span>
          <NumberField
            label={`Width of joint ${index + 1}`}
            caption="over"
            unit="px"
            narrow
            value={joint.width}
            {...bounds.Joint.width}
            onCommit={(width) => set(index, { width })}
          />
          <IconButton
            label={`Swap the sides of joint ${index + 1}`}
            className="size-7"
            onClick={() => set(index, { swapped: true })}
          >
            <ArrowLeftRight size={14} />
          </IconButton>
          <IconButton
            label={`Take joint ${index + 1} away`}
            className="size-7"
            onClick={() => void send({ type: "remove-joint", outline: outline.id, index })}
          >
            <X size={14} />
          </IconButton>
        </Row>
      ))}
      {free.length > 0 && (
        <Row label={outline.joints.length ? "" : "Bends to"}>
          <Select
            label="Bends to"
            options={[
              { value: "", label: "Nothing more" },
              ...free.map((c) => ({ value: c.id, label: c.name })),
            ]}
            value={b.into && "joint" in b.into ? b.into.joint : ""}
            onPick={(carrier) => carrier && drawJoint(carrier)}
          />
        </Row>
      )}
    </>
  );
}

/** What a single chosen corner of the selected pane rides on. */
function PinRow({ b }: { b: Settled }) {
  const pane = paneOf(b, b.selected);
  if (!pane || b.points.size !== 1) return null;
  const [index] = [...b.points] as [number];
  const options = [
    { value: "", label: "As the others" },
    ...carriersOf(b).map((c) => ({ value: c.id, label: c.name })),
  ];
  return (
    <Row label={`Corner ${index + 1}`}>
      <Select
        label="This corner rides on"
        options={options}
        value={pane.pins[index] ?? ""}
        onPick={(carrier) =>
          void send({ type: "pin-corner", pane: pane.id, index, carrier: carrier || null })
        }
      />
    </Row>
  );
}
