import { useRef, useState } from "react";

import { NumberField } from "./NumberField";

/** A number on a track: each move is tried, letting go keeps it; it can be typed as well. */
export function Slider(props: {
  label: string;
  caption?: string;
  value: number;
  min: number;
  max: number;
  step: number;
  unit?: string;
  digits?: number;
  disabled?: boolean;
  /** Shows a value that is not kept yet; null when it is given up. */
  onTry: (value: number | null) => void;
  onCommit: (value: number) => void;
}) {
  const { label, caption, value, min, max, step, unit, digits = 2, disabled, onTry, onCommit } = props;
  const [moved, setMoved] = useState<number | null>(null);
  const latest = useRef<number | null>(null);
  const keep = () => {
    const last = latest.current;
    latest.current = null;
    setMoved(null);
    if (last !== null && last !== value) onCommit(last);
    else onTry(null);
  };
  return (
    <span className="flex min-w-0 flex-1 items-center gap-1.5">
      <input
        type="range"
        aria-label={`${label}, track`}
        className="h-5 min-w-0 flex-1 disabled:opacity-40"
        min={min}
        max={max}
        step={step}
        disabled={disabled}
        value={moved ?? value}
        onChange={(event) => {
          const next = Number(event.target.value);
          latest.current = next;
          setMoved(next);
          onTry(next);
        }}
        onPointerUp={keep}
        onKeyUp={keep}
        onBlur={() => latest.current !== null && keep()}
      />
      <NumberField
        label={label}
        caption={caption ?? ""}
        narrow
        digits={digits}
        step={step}
        unit={unit}
        min={min}
        max={max}
        disabled={disabled}
        value={moved ?? value}
        onCommit={onCommit}
      />
    </span>
  );
}
