import type { Subject } from "../api/client";
import { Slider } from "../ui/Slider";
import type { Rows } from "./SubjectDetails";

type Clean = Required<NonNullable<Subject["clean_up"]>>;

const STEPS: {
  name: keyof Clean;
  label: string;
  title: string;
  min: number;
  max: number;
  step: number;
  unit: string;
}[] = [
  {
    name: "holes",
    label: "Fill holes",
    title: "Holes whose longest side is at most this",
    min: 0,
    max: 200,
    step: 1,
    unit: "px",
  },
  {
    name: "specks",
    label: "Remove specks",
    title: "Specks whose longest side is at most this",
    min: 0,
    max: 200,
    step: 1,
    unit: "px",
  },
  {
    name: "grow",
    label: "Shrink or grow",
    title: "Below zero shrinks, above it grows",
    min: -10,
    max: 10,
    step: 0.1,
    unit: "px",
  },
  {
    name: "soften",
    label: "Soften",
    title: "How wide the edge is softened",
    min: 0,
    max: 10,
    step: 0.1,
    unit: "px",
  },
  {
    name: "contrast",
    label: "Edge contrast",
    title: "How much steeper the edge becomes",
    min: 0,
    max: 0.95,
    step: 0.05,
    unit: "",
  },
];

/** The steps of the clean-up as they are done, each on or off, its amount kept while it is off. */
export function CleanUpRows({ subject, keep, attempt }: Rows) {
  const now = subject.clean_up as Clean;
  return (
    <ol className="mb-1.5">
      {STEPS.map(({ name, label, title, min, max, step, unit }, i) => {
        const { on = false, amount } = now[name];
        const set = (change: object) => ({ clean_up: { ...now, [name]: { on, amount, ...change } } });
        return (
          <li key={name} className="mb-1 flex items-center gap-1.5" title={title}>
            <label className="flex w-[134px] shrink-0 items-center gap-1.5">
              <input
                type="checkbox"
                aria-label={label}
                checked={on}
                onChange={(event) => keep(set({ on: event.target.checked }))}
              />
              <span className="text-[12px] text-ink-soft">{i + 1}</span>
              <span className={on ? "" : "text-ink-soft"}>{label}</span>
            </label>
            <Slider
              label={`${label}, amount`}
              value={amount}
              min={min}
              max={max}
              step={step}
              unit={unit}
              digits={step < 0.1 ? 2 : step < 1 ? 1 : 0}
              disabled={!on}
              onTry={(v) => attempt(v === null ? null : set({ amount: v }))}
              onCommit={(v) => keep(set({ amount: v }))}
            />
          </li>
        );
      })}
    </ol>
  );
}
