import type { ReactNode } from "react";

/** A label and what belongs to it, in the details. */
export function Row({ label, children }: { label: string; children: ReactNode }) {
  return (
    <div className="mb-1.5 grid grid-cols-[74px_minmax(0,1fr)] items-center">
      <span className="text-ink-soft">{label}</span>
      <div className="flex min-w-0 flex-wrap items-center gap-1.5">{children}</div>
    </div>
  );
}
