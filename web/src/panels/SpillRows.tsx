import type { Subject } from "../api/client";
import { Choice } from "../ui/Button";
import { Row } from "./Row";
import type { Rows } from "./SubjectDetails";
import { TriedRow, TriedShare } from "./TriedRow";

type Spill = NonNullable<Subject["spill"]>;
type Replace = NonNullable<Spill["replace"]>;

const REPLACES: { value: Replace; label: string; title: string }[] = [
  { value: "light", label: "Light", title: "The light that goes comes back as an even grey" },
  { value: "colour", label: "Colour", title: "It comes back in a colour of your choice" },
  { value: "background", label: "Behind", title: "It comes back in the colour of what lies behind" },
];

/** How the backing's colour is taken out of the subject, and what comes for it. */
export function SpillRows({ subject, ...trying }: Rows) {
  const { keep, attempt } = trying;
  const spill = subject.spill as Spill;
  const set = (change: Partial<Spill>) => ({ spill: { ...spill, ...change } });
  return (
    <>
      <Row label="Spill">
        <label className="flex items-center gap-1.5">
          <input
            type="checkbox"
            checked={spill.on}
            onChange={(event) => keep(set({ on: event.target.checked }))}
          />
          Take it out
        </label>
      </Row>
      {spill.on && (
        <>
          <TriedShare
            {...trying}
            row="Amount"
            label="Spill, amount"
            share={spill.amount}
            change={(amount) => set({ amount })}
          />
          <Row label="Instead">
            <Choice options={REPLACES} value={spill.replace} onPick={(replace) => keep(set({ replace }))} />
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
          <TriedRow
            {...trying}
            row="Reaches in"
            label="Reach of spill"
            unit="px"
            digits={0}
            value={spill.reach}
            min={0}
            max={200}
            step={1}
            change={(reach) => set({ reach })}
          />
          <TriedShare
            {...trying}
            row="Light back"
            label="Light given back"
            share={spill.light}
            change={(light) => set({ light })}
          />
        </>
      )}
    </>
  );
}
