import { X } from "lucide-react";

import type { Carrier } from "../api/client";
import { Button } from "../ui/Button";
import { Select } from "../ui/Select";
import { setBench, useFrame } from "../state/bench";
import { carriersOf } from "../state/carriers";
import { Row } from "./Row";
import { send } from "../commands/send";
import { Settled } from "../state/types";
import { regionsOf, What } from "../state/regions";
import { drawRegion } from "../commands/tools";

const NAMES = { patch: "Patch", blind: "Blind spot" };

/** A carrier's patches or blind spots: each can be shaped on any frame, and the one in hand taken away. */
export function RegionRows({ b, carrier, what }: { b: Settled; carrier: Carrier; what: What }) {
  const frame = useFrame();
  const regions = regionsOf(carrier, what);
  const name = NAMES[what];
  const shaping = b.shaping?.carrier === carrier.id && b.shaping.what === what ? b.shaping.index : null;
  const chosen = shaping === null ? undefined : regions[shaping];
  const inHand = { carrier: carrier.id, what, index: shaping ?? 0 };
  return (
    <>
      <Row label={what === "patch" ? "Patches" : "Blind spots"}>
        {regions.map((region, index) => (
          <Button
            key={index}
            small
            look={index === shaping ? "main" : "plain"}
            title={`Shape ${name.toLowerCase()} ${index + 1}; away from frame ${carrier.at} it gets keys`}
            onClick={() =>
              setBench({
                shaping: index === shaping ? null : { carrier: carrier.id, what, index },
                tool: "select",
              })
            }
          >
            {name} {index + 1}
            {region.keys.length ? `, ${region.keys.length} keys` : ""}
          </Button>
        ))}
        <Button small look="quiet" onClick={() => drawRegion(carrier.id, what)}>
          Draw {regions.length ? "another" : "one"}
        </Button>
      </Row>
      {chosen && (
        <Row label="">
          <Button
            small
            title={`Take ${name.toLowerCase()} ${shaping! + 1} away`}
            onClick={() => {
              setBench({ shaping: null });
              void send({ type: "remove-region", ...inHand });
            }}
          >
            <X size={12} /> Take it away
          </Button>
          {!!chosen.keys.length && (
            <Button
              small
              title="It keeps the shape that it has on this frame"
              onClick={() => void send({ type: "freeze-region", ...inHand, frame })}
            >
              No keys
            </Button>
          )}
        </Row>
      )}
      {chosen && carriersOf(b).length > 1 && (
        <Row label={what === "blind" || regions.length === 1 ? "It rides on" : "They ride on"}>
          <Select
            label={`The ${name.toLowerCase()} rides on`}
            options={carriersOf(b).map((c) => ({ value: c.id, label: c.name }))}
            value={chosen.rides ?? carrier.id}
            onPick={(rides) => void send({ type: "ride-region", ...inHand, rides: rides || null })}
          />
        </Row>
      )}
    </>
  );
}
