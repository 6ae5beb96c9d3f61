import { Listbox, ListboxButton, ListboxOption, ListboxOptions } from "@headlessui/react";
import { Check, ChevronDown } from "lucide-react";

interface Option {
  value: string;
  label: string;
}

/** One of several, from a list that opens. */
export function Select(props: {
  label: string;
  options: Option[];
  value: string;
  onPick: (value: string) => void;
}) {
  const { label, options, value, onPick } = props;
  const shown = options.find((o) => o.value === value)?.label ?? "";
  return (
    <Listbox value={value} onChange={onPick}>
      <ListboxButton
        aria-label={`${label}: ${shown}`}
        className="flex h-7 min-w-0 flex-1 items-center justify-between gap-1 rounded-md border border-line bg-cloth-raised pr-1 pl-2 text-left hover:border-ink-soft"
      >
        <span className="truncate">{shown}</span>
        <ChevronDown size={14} className="shrink-0 text-ink-soft" />
      </ListboxButton>
      <ListboxOptions
        anchor={{ to: "bottom start", gap: 3 }}
        className="z-30 w-(--button-width) rounded-md border border-line bg-cloth py-1 shadow-md outline-none"
      >
        {options.map((option) => (
          <ListboxOption
            key={option.value}
            value={option.value}
            className="flex cursor-pointer items-center justify-between px-2 py-0.5 data-focus:bg-teal-soft"
          >
            {option.label}
            {option.value === value && <Check size={14} className="text-teal" />}
          </ListboxOption>
        ))}
      </ListboxOptions>
    </Listbox>
  );
}
