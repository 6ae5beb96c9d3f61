import { useEffect, useState } from "react";

import { percent } from "../ui/percent";
import { bounds } from "../api/bounds";
import { api, data, type Pane, type PaneAspect } from "../api/client";
import { Button } from "../ui/Button";
import { NumberField } from "../ui/NumberField";
import { restingShape } from "../state/lookups";
import { Row } from "./Row";
import { Settled } from "../state/types";

/** How a pane's face is shaped: round corners, bowed glass and edges, a soft border, and the real screen's aspect. */
export function ScreenRows(props: { b: Settled; pane: Pane; set: (change: Partial<Pane>) => void }) {
  const { b, pane, set } = props;
  return (
    <>
      <Row label="Corners">
        <Percent
          label="Radius of the corners"
          caption="round"
          value={pane.radius}
          {...percent(bounds.Pane.radius)}
          onCommit={(radius) => set({ radius })}
        />
        <NumberField
          label="Soft border"
          caption="soft"
          unit="px"
          narrow
          digits={1}
          step={0.5}
          value={pane.soft}
          {...bounds.Pane.soft}
          onCommit={(soft) => set({ soft })}
        />
      </Row>
      <Row label="Bow">
        <Percent
          label="Bow of the glass"
          caption="glass"
          value={pane.bow}
          {...percent(bounds.Pane.bow)}
          onCommit={(bow) => set({ bow })}
        />
        <Percent
          label="Bow of the edges"
          caption="edges"
          value={pane.edges}
          {...percent(bounds.Pane.edges)}
          onCommit={(edges) => set({ edges })}
        />
      </Row>
      <AspectRow b={b} pane={pane} set={set} />
    </>
  );
}

function Percent(props: {
  label: string;
  caption: string;
  value: number;
  min: number;
  max: number;
  onCommit: (share: number) => void;
}) {
  return (
    <NumberField
      {...props}
      unit="%"
      narrow
      digits={1}
      step={0.5}
      value={props.value * 100}
      onCommit={(percent) => props.onCommit(percent / 100)}
    />
  );
}

/** The aspect of the real screen: typed where it is known, else as its perspective tells it. */
function AspectRow({ b, pane, set }: { b: Settled; pane: Pane; set: (change: Partial<Pane>) => void }) {
  const [estimated, setEstimated] = useState<PaneAspect | null>(null);
  const shot = b.shot!.id;
  const corners = restingShape(b, pane.id, pane.keys[0]!.frame)?.join();
  useEffect(() => {
    let wanted = true;
    data<PaneAspect>(
      api.GET("/api/shots/{shot_id}/panes/{pane}/aspect", {
        params: { path: { shot_id: shot, pane: pane.id } },
      }),
    )
      .then((aspect) => wanted && setEstimated(aspect))
      .catch(() => wanted && setEstimated(null));
    return () => {
      wanted = false;
    };
  }, [shot, pane.id, corners]);
  return (
    <Row label="Aspect">
      <NumberField
        label="Aspect of the real screen"
        caption="w:h"
        narrow
        digits={3}
        step={0.01}
        value={pane.aspect ?? estimated?.aspect ?? 1.778}
        {...bounds.Pane.aspect}
        onCommit={(aspect) => set({ aspect })}
      />
      {estimated && Math.abs((pane.aspect ?? 0) - estimated.aspect) > 0.001 && (
        <Button
          small
          look="quiet"
          title={
            estimated.by_perspective
              ? "As the perspective of its corners tells it"
              : "There is too little perspective: as the lengths of its sides tell it"
          }
          onClick={() => set({ aspect: estimated.aspect })}
        >
          Take {estimated.aspect.toFixed(3)}
        </Button>
      )}
    </Row>
  );
}
