import { useId, useState } from "react";

/** A line of text; commits on Enter and on leaving, Escape takes the typing back. */
export function TextField({
  label,
  value,
  className = "",
  suggestions,
  longest = 80,
  placeholder,
  onCommit,
}: {
  label: string;
  value: string;
  className?: string;
  /** What is usually wanted, offered while typing. */
  suggestions?: string[];
  /** Characters that it takes. */
  longest?: number;
  /** What is shown where there is nothing; with it, there may be nothing. */
  placeholder?: string;
  onCommit: (value: string) => void;
}) {
  const [draft, setDraft] = useState<string | null>(null);
  const commit = () => {
    const next = draft?.trim();
    setDraft(null);
    if (next === undefined || next === value) return;
    if (next || placeholder) onCommit(next);
  };
  const list = useId();
  return (
    <>
      {suggestions && (
        <datalist id={list}>
          {suggestions.map((text) => (
            <option key={text} value={text} />
          ))}
        </datalist>
      )}
      <input
        list={suggestions && list}
        aria-label={label}
        maxLength={longest}
        placeholder={placeholder}
        className={`h-7 min-w-0 rounded-md border border-line bg-cloth-raised px-2 outline-none focus:border-teal ${className}`}
        value={draft ?? value}
        onChange={(event) => setDraft(event.target.value)}
        onBlur={commit}
        onKeyDown={(event) => {
          if (event.key === "Enter") event.currentTarget.blur();
          if (event.key === "Escape") setDraft(null);
          event.stopPropagation();
        }}
      />
    </>
  );
}
