import { Disclosure, DisclosureButton, DisclosurePanel } from "@headlessui/react";
import { ChevronDown } from "lucide-react";
import type { ReactNode } from "react";

/** Sections as they were left, by their titles. */
const left = new Map<string, boolean>();

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
    <Disclosure as="div" className="border-t border-line pt-1 pb-0.5" defaultOpen={left.get(title) ?? open}>
      {({ open: isOpen }) => (
        <>
          <DisclosureButton
            className="mb-1 flex w-full items-center gap-1 rounded-md text-left text-[13px] font-semibold text-ink-soft hover:text-ink"
            onClick={() => left.set(title, !isOpen)}
          >
            <ChevronDown size={14} className={isOpen ? "" : "-rotate-90"} /> {title}
          </DisclosureButton>
          <DisclosurePanel>{children}</DisclosurePanel>
        </>
      )}
    </Disclosure>
  );
}
