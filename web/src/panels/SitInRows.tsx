import { useState, type ReactNode } from "react";

import type { Pane } from "../api/client";
import { beginDepth, beginPick, setPane, sitIn, withRow, type RowName } from "../commands/panes";
import { useBench } from "../state/bench";
import { Button, IconButton } from "../ui/Button";
import { NumberField } from "../ui/NumberField";
import { RotateCcw } from "lucide-react";
import { MakeBehind } from "./clips";
import { inPercent, NumberRows, type Numbers } from "./NumberRow";
import { Row } from "./Row";

const AMOUNT = inPercent("Amount", "Amount", 0, 200);
const WHOLE = inPercent("Amount", "Amount", 0, 100);
const pixels = (label: string, row: string, max: number) => ({
  label,
  row,
  min: 0,
  max,
  step: 0.1,
  digits: 1,
  unit: "px",
});

/** The rows in the order in which they are done: their names, what they do, and their numbers by the last of their path. */
const ROWS: { row: RowName; name: string; about: string; numbers: Numbers }[] = [
  {
    row: "worn",
    name: "Worn screen",
    about: "Coarse pixels, lines, colours that lie apart, dark corners",
    numbers: {
      coarse: { label: "Pixels across", row: "Pixels", min: 0, max: 600, step: 5 },
      lines: { label: "Lines down", row: "Lines", min: 0, max: 600, step: 5 },
      dark: inPercent("Dark", "Darkness of lines", 0, 100),
      chroma: {
        label: "Colours apart",
        row: "Apart",
        min: -2,
        max: 2,
        step: 0.02,
        times: 100,
        digits: 2,
        unit: "%",
      },
      vignette: inPercent("Corners", "Dark corners", 0, 100),
    },
  },
  {
    row: "level",
    name: "Level",
    about: "Black and white as the plate has them",
    numbers: {
      gamma: { label: "Gamma", row: "Gamma", min: 0.3, max: 3, step: 0.01, digits: 2 },
      saturation: inPercent("Colour", "Saturation", 0, 200),
    },
  },
  {
    row: "sharp",
    name: "Sharpness",
    about: "As soft as the plate shows the pane's border",
    numbers: { soft: pixels("Softness", "Soft", 8), defocus: pixels("Defocus", "Defocus", 20) },
  },
  {
    row: "depth",
    name: "Depth blur",
    about: "Out of focus from one place of the pane to another; both ride along",
    numbers: { near: pixels("Blur at A", "At A", 20), far: pixels("Blur at B", "At B", 20) },
  },
  {
    row: "motion",
    name: "Motion blur",
    about: "Of the pane's own motion while the shutter is open",
    numbers: { shutter: { label: "Shutter", row: "Shutter", min: 0, max: 360, step: 5, unit: "°" } },
  },
  {
    row: "shadow",
    name: "Shadows",
    about: "What falls on the pane; needs the clean pane",
    numbers: { amount: WHOLE },
  },
  { row: "grain", name: "Grain", about: "The plate's own, as it was measured", numbers: { amount: AMOUNT } },
  {
    row: "mix",
    name: "Blend",
    about: "How its light meets the plate's",
    numbers: { amount: WHOLE },
  },
  {
    row: "glass",
    name: "Glass",
    about: "Reflections on the glass kept; needs the clean pane",
    numbers: { amount: AMOUNT },
  },
  {
    row: "edges",
    name: "Edges of covers",
    about: "Without the old screen's colour round fingers",
    numbers: { amount: WHOLE },
  },
  {
    row: "glow",
    name: "Glow",
    about: "Round the screen, as light scatters",
    numbers: { amount: AMOUNT, width: pixels("Width", "Width", 80) },
  },
  {
    row: "light",
    name: "Light",
    about: "What the screen throws on bezel and hands",
    numbers: { amount: AMOUNT, width: pixels("Width", "Width", 120) },
  },
];

const MODES = ["normal", "screen", "multiply", "overlay", "add", "lighten", "darken", "soft-light"] as const;

/** How a pane's picture sits in the plate: rows with on and off, amount and reset, in the order in which they are done. */
export function SitInRows({ pane }: { pane: Pane }) {
  const shot = useBench((b) => b.shot!.id);
  const [measuring, setMeasuring] = useState(false);
  return (
    <>
      <Row label="">
        <Button
          small
          look="main"
          disabled={measuring}
          title="Measure sharpness, grain, motion and level on the plate, and set the rows by them"
          onClick={() => {
            setMeasuring(true);
            void sitIn(pane).finally(() => setMeasuring(false));
          }}
        >
          {measuring ? "Looking at the plate …" : "Sit in"}
        </Button>
        {!pane.sit.clean && (
          <MakeBehind
            shot={shot}
            pane={pane.id}
            label="Use a clean pane"
            title="The pane without what passes before it: shadows and reflections are told by it"
            onMade={(clean) => void setPane(pane, { sit: { ...pane.sit, clean } as never })}
          />
        )}
      </Row>
      {ROWS.map((row, i) => (
        <SitRow key={row.row} pane={pane} number={i + 1} {...row} />
      ))}
    </>
  );
}

function SitRow(props: { pane: Pane; number: number } & (typeof ROWS)[number]) {
  const { pane, number, row, name, about, numbers } = props;
  const on = pane.sit[row].on;
  const set = (change: object) => void setPane(pane, withRow(pane, row, change));
  return (
    <div className="border-t border-line/60 py-0.5" data-testid={`sit-${row}`}>
      <div className="flex h-6 items-center gap-1.5">
        <span className="w-4 text-right text-[12px] text-ink-soft">{number}</span>
        <label className="flex min-w-0 flex-1 items-center gap-1.5" title={about}>
          <input type="checkbox" checked={on} onChange={(event) => set({ on: event.target.checked })} />
          <span className={on ? "" : "text-ink-soft"}>{name}</span>
        </label>
        {on && (
          <IconButton label={`Reset ${name}`} className="size-6" onClick={() => set(AT_FIRST[row] ?? {})}>
            <RotateCcw size={13} />
          </IconButton>
        )}
      </div>
      {on && (
        <div className="pl-5">
          <Extra pane={pane} row={row} set={set} />
          <NumberRows pane={pane} part={`sit.${row}`} numbers={numbers} />
        </div>
      )}
    </div>
  );
}

/** What each row is reset to; it stays on. What was measured stays measured. */
const AT_FIRST: Partial<Record<RowName, object>> = {
  worn: { coarse: 0, lines: 0, dark: 0.3, chroma: 0, vignette: 0 },
  level: { black: [0, 0, 0], white: [1, 1, 1], gamma: 1, saturation: 1 },
  sharp: { soft: 0, defocus: 0 },
  depth: { here: [0, 0.5], there: [1, 0.5], near: 0, far: 4 },
  motion: { shutter: 180, phase: 0 },
  shadow: { amount: 1 },
  grain: { amount: 1 },
  mix: { mode: "screen", amount: 1 },
  glass: { amount: 1 },
  edges: { amount: 1 },
  glow: { amount: 0.15, width: 12 },
  light: { amount: 0.5, width: 30 },
};

function Extra({ pane, row, set }: { pane: Pane; row: RowName; set: (change: object) => void }): ReactNode {
  if (row === "level") return <Picks pane={pane} />;
  if (row === "mix")
    return (
      <Row label="Mode">
        <select
          aria-label="Blend mode"
          className="h-7 rounded-md border border-line bg-cloth-raised px-1.5"
          value={pane.sit.mix.mode}
          onChange={(event) => set({ mode: event.target.value })}
        >
          {MODES.map((mode) => (
            <option key={mode} value={mode}>
              {mode.replace("-", " ")}
            </option>
          ))}
        </select>
      </Row>
    );
  if (row === "glass")
    return (
      <Row label="">
        <label className="flex items-center gap-1.5 text-[13px]">
          <input
            type="checkbox"
            checked={pane.sit.glass.off}
            onChange={(event) => set({ off: event.target.checked })}
          />
          The screen is off in the plate
        </label>
      </Row>
    );
  if (row === "depth")
    return (
      <Row label="Places">
        {(
          [
            ["here", "A"],
            ["there", "B"],
          ] as const
        ).map(([end, name]) => (
          <Button
            key={end}
            small
            title={`Click in the picture where the blur is that of ${name}`}
            onClick={() => beginDepth(pane, end)}
          >
            Pick {name}
          </Button>
        ))}
      </Row>
    );
  if (row === "grain" && !pane.sit.grain.levels.length)
    return <p className="mb-1 text-[13px] text-ink-soft">Not measured yet: press Sit in.</p>;
  return null;
}

/** The level by places that are picked in the plate. */
function Picks({ pane }: { pane: Pane }) {
  const [shown, setShown] = useState(100);
  return (
    <>
      <Row label="Pick">
        <Button
          small
          title="A place of the plate that should be black"
          onClick={() => beginPick(pane, "dark", 1)}
        >
          Dark
        </Button>
        <Button
          small
          title="A light place of the plate, and how light the insert is there"
          onClick={() => beginPick(pane, "light", shown / 100)}
        >
          Light
        </Button>
        <Button
          small
          title="A grey place: its tint is the light's"
          onClick={() => beginPick(pane, "grey", 1)}
        >
          Grey
        </Button>
      </Row>
      <Row label="Light is">
        <NumberField
          label="What the insert has at the light place"
          caption="shows"
          unit="%"
          narrow
          value={shown}
          min={5}
          max={100}
          onCommit={setShown}
        />
      </Row>
      <Row label="Is">
        <Chip label="Black" rgb={pane.sit.level.black} />
        <Chip label="White" rgb={pane.sit.level.white} />
      </Row>
    </>
  );
}

/** A colour of linear light as it shows on a display. */
function Chip({ label, rgb }: { label: string; rgb: readonly number[] }) {
  return (
    <span className="flex items-center gap-1 text-[13px]" title={rgb.map((v) => v.toFixed(3)).join(", ")}>
      <span
        className="inline-block h-4 w-6 rounded-sm border border-line"
        style={{ background: `color(srgb-linear ${rgb.join(" ")})` }}
      />
      {label}
    </span>
  );
}
