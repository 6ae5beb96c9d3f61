import { useEffect } from "react";

import { bounds } from "../api/bounds";
import type { Carrier } from "../api/client";
import { Button } from "../ui/Button";
import { NumberField } from "../ui/NumberField";
import { goTo } from "../state/bench";
import { checksOf, worstOf } from "../state/checks";
import { Row } from "./Row";
import { send } from "../commands/send";
import { Settled } from "../state/types";
import { measure } from "../commands/measure";

/** How well a carrier holds, in numbers, and smoothing it. Shown, it measures what has changed. */
export function CheckRows({ b, carrier, busy }: { b: Settled; carrier: Carrier; busy: boolean }) {
  useEffect(() => {
    if (!busy) void measure(carrier);
  }, [carrier, busy]);
  const checks = checksOf(b, carrier);
  const removed = checks && worstOf(checks.first, checks.removed);
  return (
    <>
      <Number label="Slip" first={checks?.first ?? 0} values={checks?.slip} testid="slip" />
      <Number label="Jitter" first={checks?.first ?? 0} values={checks?.jitter} testid="jitter" />
      <Row label="Smooth">
        <NumberField
          label="Smoothing"
          caption="over"
          unit="fr"
          narrow
          value={carrier.smoothing}
          {...bounds.Carrier.smoothing}
          onCommit={(smoothing) => void send({ type: "set-carrier", carrier: carrier.id, smoothing })}
        />
        {carrier.smoothing && removed ? (
          <span className="text-[13px] text-ink-soft">
            takes {middle(checks.removed.filter((v): v is number => v != null)).toFixed(2)} px out,{" "}
            {removed[1].toFixed(2)} at most
          </span>
        ) : (
          <span className="text-[13px] text-ink-soft">{carrier.smoothing ? "" : "as it was solved"}</span>
        )}
      </Row>
    </>
  );
}

function Number(props: {
  label: string;
  first: number;
  values: (number | null | undefined)[] | undefined;
  testid: string;
}) {
  const known = (props.values ?? []).filter((v): v is number => v != null);
  const worst = worstOf(props.first, props.values ?? []);
  return (
    <Row label={props.label}>
      {worst ? (
        <>
          <span data-testid={props.testid}>{middle(known).toFixed(2)} px</span>
          <Button small look="quiet" title="Go to the worst frame" onClick={() => goTo(worst[0])}>
            {worst[1].toFixed(2)} at {worst[0]}
          </Button>
        </>
      ) : (
        <span className="text-[13px] text-ink-soft">measuring …</span>
      )}
    </Row>
  );
}

function middle(values: number[]): number {
  return values.length ? values.reduce((sum, v) => sum + v, 0) / values.length : 0;
}
