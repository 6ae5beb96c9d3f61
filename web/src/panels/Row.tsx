import type { ReactNode } from "react";

/** A label and what belongs to it, in the details. */
export function Row({ label, children }: { label: string; children: ReactNode }) {
  return (
    <div className="mb-1.5 grid grid-cols-[74px_minmax(0,1fr)] items-center" data-row={label}>
      <span className="text-ink-soft">{label}</span>
      <div className="flex min-w-0 flex-wrap items-center gap-1.5">{children}</div>
    </div>
  );
}

/** What the details are about. */
export function Heading({ name, kind }: { name: string; kind: string }) {
  return (
    <h2 className="mb-2 flex justify-between gap-2 font-semibold">
      <span className="truncate">{name}</span> <span className="font-normal text-ink-soft">{kind}</span>
    </h2>
  );
}
