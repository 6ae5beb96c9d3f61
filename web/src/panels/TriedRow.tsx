import { SubjectChange } from "../commands/subjects";
import { Slider } from "../ui/Slider";
import { Row } from "./Row";

/** What rows of a subject need: how a change is kept, and how it is shown without being kept. */
export interface Trying<Change = SubjectChange> {
  keep: (change: Change) => void;
  attempt: (change: Change | null) => void;
}

/** A row with a slider whose moves are tried and whose last one is kept; `change` says what a value means. */
export function TriedRow(
  props: Trying & {
    row: string;
    label: string;
    value: number;
    min: number;
    max: number;
    step: number;
    unit?: string;
    digits?: number;
    change: (value: number) => SubjectChange;
  },
) {
  const { row, change, keep, attempt, ...slider } = props;
  return (
    <Row label={row}>
      <Slider
        {...slider}
        onTry={(value) => attempt(value === null ? null : change(value))}
        onCommit={(value) => keep(change(value))}
      />
    </Row>
  );
}

/** Likewise for a share, 0 to 1, that is shown in percent. */
export function TriedShare(
  props: Trying & { row: string; label: string; share: number; change: (share: number) => SubjectChange },
) {
  const { share, change, ...rest } = props;
  return (
    <TriedRow
      {...rest}
      unit="%"
      digits={0}
      value={Math.round(share * 100)}
      min={0}
      max={100}
      step={1}
      change={(percent) => change(percent / 100)}
    />
  );
}
