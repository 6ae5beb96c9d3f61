import type { ButtonHTMLAttributes, ReactNode } from "react";

type Look = "main" | "plain" | "quiet" | "brick";

const LOOKS: Record<Look, string> = {
  main: "bg-teal text-on-teal border-transparent hover:brightness-110",
  plain: "bg-cloth-raised border-line hover:border-ink-soft",
  quiet: "border-transparent hover:bg-cloth-sunk",
  brick: "bg-cloth-raised border-line text-brick hover:border-brick",
};

/** A button with a verb on it. */
export function Button({
  look = "plain",
  small = false,
  className = "",
  ...rest
}: ButtonHTMLAttributes<HTMLButtonElement> & { look?: Look; small?: boolean }) {
  return (
    <button
      type="button"
      className={`inline-flex items-center justify-center gap-1.5 rounded-md border font-medium whitespace-nowrap disabled:opacity-45 ${small ? "h-7 px-2" : "h-8 px-3"} ${LOOKS[look]} ${className}`}
      {...rest}
    />
  );
}

/** A button that is only an icon; the tooltip names what it does and its key. */
export function IconButton({
  label,
  shortcut,
  pressed,
  className = "",
  children,
  ...rest
}: ButtonHTMLAttributes<HTMLButtonElement> & {
  label: string;
  shortcut?: string;
  pressed?: boolean;
  children: ReactNode;
}) {
  return (
    <button
      type="button"
      aria-label={label}
      aria-pressed={pressed}
      title={shortcut ? `${label}  (${shortcut})` : label}
      className={`inline-flex items-center justify-center rounded-md disabled:opacity-35 ${
        pressed ? "bg-teal-soft text-teal" : "hover:bg-cloth-sunk"
      } ${className}`}
      {...rest}
    >
      {children}
    </button>
  );
}

/** A few choices of which one holds, joined in one control. */
export function Choice<T extends string>({
  options,
  value,
  disabled = false,
  onPick,
}: {
  options: { value: T; label: string; title: string }[];
  value: T | null;
  disabled?: boolean;
  onPick: (value: T) => void;
}) {
  return (
    <span className="inline-flex rounded-md border border-line bg-cloth-raised p-px">
      {options.map((option) => (
        <button
          key={option.value}
          type="button"
          title={option.title}
          disabled={disabled}
          aria-pressed={option.value === value}
          className={`h-6 rounded-[5px] ${options.length > 3 ? "px-[7px] text-[13px]" : "px-2"} disabled:opacity-45 ${option.value === value ? "bg-teal-soft font-semibold text-teal" : "hover:bg-cloth-sunk"}`}
          onClick={() => onPick(option.value)}
        >
          {option.label}
        </button>
      ))}
    </span>
  );
}
