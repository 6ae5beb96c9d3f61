import type { Subject } from "../../api/client";
import { Choice } from "../../ui/Button";
import { Slider } from "../../ui/Slider";
import { Row } from "./Row";
import type { Rows } from "./SubjectDetails";

type Spill = NonNullable<Subject["spill"]>;
type Replace = NonNullable<Spill["replace"]>;

const REPLACES: { value: Replace; label: string; title: string }[] = [
  { value: "light", label: "Light", title: "The light that goes comes back as an even grey" },
  { value: "colour", label: "Colour", title: "It comes back in a colour of your choice" },
  { value: "background", label: "Behind", title: "It comes back in the colour of what lies behind" },
];

/** How the backing's colour is taken out of the subject, and what comes for it. */
export function SpillRows({ subject, keep, attempt }: Rows) {
  const spill = subject.spill as Spill;
  const set = (change: Partial<Spill>) => ({ spill: { ...spill, ...change } });
  return (
    <>
      <Row label="Spill">
        <label className="flex items-center gap-1.5">
          <input
            type="checkbox"
            checked={spill.on ?? true}
            onChange={(event) => keep(set({ on: event.target.checked }))}
          />
          Take it out
        </label>
      </Row>
      {spill.on && (
        <>
          <Row label="Amount">
            <Slider
              label="Spill, amount"
              unit="%"
              digits={0}
              value={Math.round((spill.amount ?? 1) * 100)}
              min={0}
              max={100}
              step={1}
              onTry={(v) => attempt(v === null ? null : set({ amount: v / 100 }))}
              onCommit={(v) => keep(set({ amount: v / 100 }))}
            />
          </Row>
          <Row label="Instead">
            <Choice
              options={REPLACES}
              value={spill.replace ?? "light"}
              onPick={(replace) => keep(set({ replace }))}
            />
            {spill.replace === "colour" && (
              <input
                type="color"
                aria-label="Colour instead of spill"
                className="h-7 w-9 rounded-md border border-line bg-cloth-raised"
                defaultValue={spill.colour}
                onBlur={(event) =>
                  event.target.value !== spill.colour && keep(set({ colour: event.target.value }))
                }
                onChange={(event) => attempt(set({ colour: event.target.value }))}
              />
            )}
          </Row>
          <Row label="Reaches in">
            <Slider
              label="Reach of spill"
              unit="px"
              digits={0}
              value={spill.reach ?? 0}
              min={0}
              max={200}
              step={1}
              onTry={(reach) => attempt(reach === null ? null : set({ reach }))}
              onCommit={(reach) => keep(set({ reach }))}
            />
          </Row>
          <Row label="Light back">
            <Slider
              label="Light given back"
              unit="%"
              digits={0}
              value={Math.round((spill.light ?? 0.5) * 100)}
              min={0}
              max={100}
              step={1}
              onTry={(v) => attempt(v === null ? null : set({ light: v / 100 }))}
              onCommit={(v) => keep(set({ light: v / 100 }))}
            />
          </Row>
        </>
      )}
    </>
  );
}
