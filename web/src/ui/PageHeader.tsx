import { Link } from "wouter";

import { Mark } from "./Mark";

/** The top of a page below the list of shots: the way to it, and its name. */
export function PageHeader({ title, way = [] }: { title: string; way?: { href: string; name: string }[] }) {
  return (
    <header className="flex h-14 items-center gap-2 border-b border-line px-6">
      <Mark />
      {[{ href: "/", name: "Shots" }, ...way].map(({ href, name }) => (
        <span key={href} className="flex gap-2 text-ink-soft">
          <Link href={href} className="hover:text-ink">
            {name}
          </Link>
          <span>/</span>
        </span>
      ))}
      <h1 className="text-[17px] font-semibold">{title}</h1>
    </header>
  );
}
