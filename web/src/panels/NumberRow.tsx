import { keepPreviousData, useQuery } from "@tanstack/react-query";

import { api, data, type Pane } from "../api/client";
import { keyNumber, numberOf, setNumber, tryNumber } from "../commands/panes";
import { useBench } from "../state/bench";
import { Slider } from "../ui/Slider";
import { Row } from "./Row";

export interface NumberOf {
  pane: Pane;
  /** Where the number is, as "sit.grain.amount". */
  path: string;
  row: string;
  label: string;
  min: number;
  max: number;
  step: number;
  /** How many of what is shown make one of what is kept: 100 for percent. */
  times?: number;
  unit?: string;
  digits?: number;
}

/** The numbers of a pane that have keys, on every frame; the server says what they are between them. */
function useNumbers(pane: Pane): Record<string, number[]> | undefined {
  const shot = useBench((b) => b.shot!.id);
  const revision = useBench((b) => b.shot!.revision);
  return useQuery({
    queryKey: ["numbers", shot, pane.id, revision],
    queryFn: () =>
      data<Record<string, number[]>>(
        api.GET("/api/shots/{shot_id}/panes/{pane}/numbers", {
          params: { path: { shot_id: shot, pane: pane.id } },
        }),
      ),
    enabled: Object.keys(pane.values).length > 0,
    placeholderData: keepPreviousData,
  }).data;
}

/** A number of a pane on a track: tried while it moves, kept when it is let go, and keyed by the stitch beside it. */
export function NumberRow({ pane, path, row, label, min, max, step, times = 1, unit, digits = 0 }: NumberOf) {
  const frame = useBench((b) => b.frame);
  const first = useBench((b) => b.shot!.plate.first);
  const keys = pane.values[path] ?? [];
  const here = keys.some((key) => key.frame === frame);
  const known = useNumbers(pane)?.[path]?.[frame - first] ?? numberOf(pane, path);
  const value = Number((known * times).toFixed(4));
  return (
    <Row label={row}>
      <Slider
        label={label}
        value={value}
        min={min}
        max={max}
        step={step}
        unit={unit}
        digits={digits}
        onTry={(next) => tryNumber(pane, path, next === null ? null : next / times)}
        onCommit={(next) => void setNumber(pane, path, next / times)}
      />
      <button
        type="button"
        aria-label={here ? `Take away the key of ${label}` : `Key ${label} on this frame`}
        title={here ? "Take away the key on this frame" : "Set a key on this frame"}
        aria-pressed={here}
        className={`h-5 w-3.5 rounded-sm hover:bg-cloth-sunk ${keys.length ? "text-teal" : "text-ink-soft"}`}
        onClick={() => void keyNumber(pane, path, here ? null : value / times)}
      >
        <svg viewBox="0 0 8 14" className="mx-auto h-3.5 w-2" aria-hidden="true">
          <path
            d="M2 12 L6 2"
            stroke="currentColor"
            strokeWidth={here ? 3 : 1.4}
            strokeLinecap="round"
            strokeDasharray={keys.length && !here ? "2 3" : undefined}
          />
        </svg>
      </button>
    </Row>
  );
}

/** Numbers of one part of a pane, by the last of their path. */
export type Numbers = Record<string, Omit<NumberOf, "pane" | "path">>;

/** A share that is shown in percent. */
export const inPercent = (row: string, label: string, min: number, max: number, step = 1) => ({
  row,
  label,
  min,
  max,
  step,
  times: 100,
  unit: "%",
  digits: step < 1 ? 1 : 0,
});

/** An angle in degrees. */
export const inDegrees = (row: string, label: string, most: number, step = 1) => ({
  row,
  label,
  min: -most,
  max: most,
  step,
  unit: "°",
  digits: step < 1 ? 1 : 0,
});

/** A row for each number of a part of a pane. */
export function NumberRows({ pane, part, numbers }: { pane: Pane; part: string; numbers: Numbers }) {
  return Object.entries(numbers).map(([last, number]) => (
    <NumberRow key={last} pane={pane} path={`${part}.${last}`} {...number} />
  ));
}
