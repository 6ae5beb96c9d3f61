import { useState } from "react";

import type { Pane } from "../api/client";
import { setPane, takeProportions, type PaneChange } from "../commands/panes";
import { useBench } from "../state/bench";
import { Button, Choice } from "../ui/Button";
import { NumberField } from "../ui/NumberField";
import { inDegrees, inPercent, NumberRows, type Numbers } from "./NumberRow";
import { Row } from "./Row";

type Fit = Pane["placement"]["fit"];
const FITS: { value: Fit; label: string; title: string }[] = [
  {
    value: "fill",
    label: "Fill",
    title: "In its own proportions, over all of the pane; what stands out is cut off",
  },
  { value: "fit", label: "Fit", title: "In its own proportions, all of it in the pane" },
  { value: "stretch", label: "Stretch", title: "Over all of the pane, whatever its proportions" },
];

const PLACEMENT: Numbers = {
  scale: inPercent("Size", "Size of the picture", 10, 300, 0.5),
  across: inPercent("Across", "Shift across", -100, 100, 0.2),
  down: inPercent("Down", "Shift down", -100, 100, 0.2),
  turn: inDegrees("Turn", "Turn of the picture", 180, 0.5),
};
const WIPE: Numbers = {
  shown: inPercent("Shown", "Shown", 0, 100, 0.5),
  angle: inDegrees("Angle", "Angle of the wipe", 180),
  soft: inPercent("Soft", "Softness of the wipe", 0, 100),
};
const FLOATS: Numbers = {
  distance: inPercent("Off it", "Distance before the pane", -100, 300),
  across: inPercent("Across", "Floating across", -200, 200),
  down: inPercent("Down", "Floating down", -200, 200),
  size: inPercent("Size", "Size of the floating plane", 2, 300),
  tilt: inDegrees("Tilt", "Tilt", 90),
  swing: inDegrees("Swing", "Swing", 90),
  turn: inDegrees("Turn", "Turn of the floating plane", 180),
};

/** How pictures are fitted into a pane, by its true proportions, and then by hand; and how it comes and goes. */
export function FitRows({ pane }: { pane: Pane }) {
  const [told, setTold] = useState<string | null>(null);
  const place = (change: Partial<Pane["placement"]>): PaneChange => ({
    placement: { ...pane.placement, ...change } as PaneChange["placement"],
  });
  return (
    <>
      <Row label="Fitted">
        <Choice
          options={FITS}
          value={pane.placement.fit}
          onPick={(fit) => void setPane(pane, place({ fit }))}
        />
      </Row>
      <Row label="">
        <Button
          small
          title="The real screen's width over height, by how the pane turns in the shot"
          onClick={() =>
            void takeProportions(pane).then(
              (found) =>
                found &&
                setTold(
                  `${found.aspect.toFixed(3)}; lens ${Math.round(found.focal)} px` +
                    (found.focal_deviation > 0.1 ? " (a guess)" : ""),
                ),
            )
          }
        >
          Proportions by motion
        </Button>
        {told && <span className="text-[13px] text-ink-soft">{told}</span>}
      </Row>
      <NumberRows pane={pane} part="placement" numbers={PLACEMENT} />
      <WipeRows pane={pane} />
      <FloatRows pane={pane} />
    </>
  );
}

function WipeRows({ pane }: { pane: Pane }) {
  const set = (change: Partial<Pane["wipe"]>) =>
    void setPane(pane, { wipe: { ...pane.wipe, ...change } as PaneChange["wipe"] });
  return (
    <>
      <Row label="Wipe">
        <label className="flex items-center gap-1.5">
          <input
            type="checkbox"
            checked={pane.wipe.on}
            onChange={(event) => set({ on: event.target.checked })}
          />
          Uncover it from one side
        </label>
      </Row>
      {pane.wipe.on && <NumberRows pane={pane} part="wipe" numbers={WIPE} />}
    </>
  );
}

/** A pane that floats before another one. */
function FloatRows({ pane }: { pane: Pane }) {
  const elements = useBench((b) => b.shot!.elements);
  const plate = useBench((b) => b.shot!.plate);
  const others = Object.values(elements).filter(
    (e): e is Pane => e?.kind === "pane" && e.id !== pane.id && !(e as Pane).floats,
  );
  if (!others.length && !pane.floats) return null;
  return (
    <>
      <Row label="Floats">
        <select
          aria-label="Floats before"
          className="h-7 min-w-0 rounded-md border border-line bg-cloth-raised px-1.5"
          value={pane.floats?.pane ?? ""}
          onChange={(event) =>
            void setPane(pane, {
              floats: event.target.value ? { pane: event.target.value } : null,
            } as PaneChange)
          }
        >
          <option value="">lies on its corners</option>
          {others.map((other) => (
            <option key={other.id} value={other.id}>
              before {other.name}
            </option>
          ))}
        </select>
      </Row>
      {pane.floats && <NumberRows pane={pane} part="floats" numbers={FLOATS} />}
      {pane.floats && (
        <Row label="Lens">
          <NumberField
            label="Focal length"
            caption="focal"
            unit="px"
            value={pane.floats.focal ?? Math.round(1.2 * plate.width)}
            min={10}
            max={1_000_000}
            onCommit={(focal) => void setPane(pane, { floats: { ...pane.floats!, focal } } as PaneChange)}
          />
          <span className="text-[13px] text-ink-soft">
            {pane.floats.focal ? "typed" : "a usual one, for nothing tells it"}
          </span>
        </Row>
      )}
    </>
  );
}
