import { Disclosure, DisclosureButton, DisclosurePanel } from "@headlessui/react";
import { ChevronDown } from "lucide-react";
import type { ReactNode } from "react";

/** Sections as they were left, by their titles; remembered by the browser. */
const FOLDS = "wiseglove-folds";
const left = new Map<string, boolean>(JSON.parse(localStorage.getItem(FOLDS) ?? "[]") as [string, boolean][]);

function leave(title: string, open: boolean) {
  left.set(title, open);
  localStorage.setItem(FOLDS, JSON.stringify([...left]));
}

/** A part of the details that folds, and stays as it was left. */
export function Section({
  title,
  open = true,
  children,
}: {
  title: string;
  open?: boolean;
  children: ReactNode;
}) {
  return (
    <Disclosure
      as="div"
      className="border-t border-line pt-1 pb-0.5"
      defaultOpen={left.get(title) ?? open}
      data-section={title}
    >
      {({ open: isOpen }) => (
        <>
          <DisclosureButton
            className="mb-1 flex w-full items-center gap-1 rounded-md text-left text-[13px] font-semibold text-ink-soft hover:text-ink"
            onClick={() => leave(title, !isOpen)}
          >
            <ChevronDown size={14} className={isOpen ? "" : "-rotate-90"} /> {title}
          </DisclosureButton>
          <DisclosurePanel>{children}</DisclosurePanel>
        </>
      )}
    </Disclosure>
  );
}
