import type { ReactNode } from "react";

/** A line of what is known: its name, and what it is. */
export function Fact({ label, children }: { label: string; children: ReactNode }) {
  return (
    <div className="grid grid-cols-[130px_minmax(0,1fr)] items-center">
      <span className="text-ink-soft">{label}</span>
      <span className="min-w-0">{children}</span>
    </div>
  );
}
