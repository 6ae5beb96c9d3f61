import { useDrag } from "@use-gesture/react";
import { useState } from "react";

/** A number that can be typed or dragged sideways; commits on Enter, on leaving, and at the end of a drag. */
export function NumberField({
  label,
  caption = label,
  value,
  unit = "",
  digits = 0,
  step = 1,
  min = -Infinity,
  max = Infinity,
  disabled = false,
  narrow = false,
  onCommit,
}: {
  label: string;
  /** What is seen beside the number, where the whole label would be too long. */
  caption?: string;
  value: number;
  unit?: string;
  digits?: number;
  step?: number;
  min?: number;
  max?: number;
  disabled?: boolean;
  narrow?: boolean;
  onCommit: (value: number) => void;
}) {
  const [draft, setDraft] = useState<string | null>(null);
  const [dragged, setDragged] = useState<number | null>(null);
  const shown = draft ?? (dragged ?? value).toFixed(digits);

  const commit = (text: string) => {
    setDraft(null);
    const typed = Number(text.replace(",", "."));
    if (text.trim() === "" || Number.isNaN(typed)) return;
    const next = Math.min(Math.max(typed, min), max);
    if (next !== value) onCommit(next);
  };

  const drag = useDrag<PointerEvent>(
    ({ last, movement: [across] }) => {
      const next = Math.min(Math.max(value + Math.round(across / 4) * step, min), max);
      setDragged(last ? null : next);
      if (last && next !== value) onCommit(next);
    },
    { enabled: !disabled },
  );

  return (
    <label className="inline-flex h-7 items-center rounded-md border border-line bg-cloth-raised pr-2 focus-within:border-teal">
      <span
        title={`${label}: drag sideways`}
        {...drag()}
        className="cursor-ew-resize touch-none self-stretch pr-1 pl-2 leading-7 text-ink-soft select-none"
      >
        {caption}
      </span>
      <input
        aria-label={label}
        disabled={disabled}
        inputMode="decimal"
        className={`${digits > 0 && !narrow ? "w-14" : digits > 1 ? "w-[52px]" : "w-9"} bg-transparent text-right outline-none disabled:opacity-50`}
        value={shown}
        onFocus={(event) => event.currentTarget.select()}
        onChange={(event) => setDraft(event.target.value)}
        onBlur={(event) => draft !== null && commit(event.target.value)}
        onKeyDown={(event) => {
          if (event.key === "Enter") event.currentTarget.blur();
          if (event.key === "Escape") setDraft(null);
          event.stopPropagation();
        }}
      />
      {unit && <span className="pl-1 text-ink-soft">{unit}</span>}
    </label>
  );
}
