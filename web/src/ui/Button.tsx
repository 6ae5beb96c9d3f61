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
  className = "",
  ...rest
}: ButtonHTMLAttributes<HTMLButtonElement> & { look?: Look }) {
  return (
    <button
      type="button"
      className={`inline-flex h-8 items-center justify-center gap-1.5 rounded-md border px-3 font-medium whitespace-nowrap disabled:opacity-45 ${LOOKS[look]} ${className}`}
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
