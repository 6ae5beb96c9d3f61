import {
  Combobox,
  ComboboxInput,
  ComboboxOption,
  ComboboxOptions,
  Dialog,
  DialogPanel,
} from "@headlessui/react";
import { useEffect, useRef, useState } from "react";
import { navigate } from "wouter/use-browser-location";

import { goToWorst } from "../commands/choosing";
import { lookForHoles, switchAhead } from "../commands/reviewing";
import { proposeSnap } from "../commands/proposals";
import { redo, undo } from "../commands/send";
import { proposeStarters } from "../commands/starting";
import { drawRegion, takeTool } from "../commands/tools";
import { bench, goTo, select, setBench } from "../state/bench";
import { carriersOf } from "../state/carriers";
import { inDepth } from "../state/lookups";
import { worksAhead } from "../state/ahead";
import { LOOKS } from "../state/looks";
import { lastFrame } from "../state/plate";
import type { ToolName } from "../state/slices/tools";
import { useView } from "../state/view";
import { openKeys } from "./KeysSheet";

/** Something that can be found: its name, what kind of thing it is, and what choosing it does. */
interface Found {
  name: string;
  kind: string;
  run: () => void;
}

const MOST = 9;
const TOOLS: [string, ToolName][] = [
  ["Select and shape", "select"],
  ["Pen", "pen"],
  ["Loop by hand", "freehand"],
  ["Trace an edge", "trace"],
  ["Finger", "finger"],
  ["Ellipse", "ellipse"],
  ["Box", "box"],
  ["Place a pane", "pane"],
  ["Key a subject", "sample"],
];

/** All that can be found now: what is in the shot, what can be done, and the rows of the details. */
function everything(): Found[] {
  const b = bench();
  const shot = b.shot!.id;
  const things = [...inDepth(b), ...carriersOf(b)].map((t) => ({
    name: t.name,
    kind: t.kind,
    run: () => select(t.id),
  }));
  const looks = LOOKS.map(({ name, label }) => ({
    name: label,
    kind: "look",
    run: () => setBench({ look: name }),
  }));
  const tools = TOOLS.map(([name, tool]) => ({ name, kind: "tool", run: () => takeTool(tool) }));
  const doing: [string, () => void][] = [
    ["Undo", () => void undo()],
    ["Redo", () => void redo()],
    ["Go to what needs a look most", () => goToWorst(1)],
    ["Look for hands and what passes", () => void proposeStarters()],
    ["Look for holes in the holdout", () => void lookForHoles(shot)],
    [worksAhead() ? "Work ahead no longer while I rest" : "Work ahead while I rest", switchAhead],
    ["Snap to the edge", () => void proposeSnap()],
    ["Draw the patch of a carrier", () => drawRegion(null, "patch")],
    ["Fit the picture", () => useView.getState().fit()],
    ["Picture at 100 %", () => useView.getState().zoomTo(1)],
    ["Onion skin", () => setBench({ onion: !bench().onion })],
    ["Where to look", () => navigate(`/shots/${shot}/look`)],
    ["Deliver", () => navigate(`/shots/${shot}/deliver`)],
    ["Keys and gestures", openKeys],
    ["Guide", () => navigate("/guide/1-take-in")],
  ];
  const rows = [...document.querySelectorAll<HTMLElement>("[data-row], [data-section]")].flatMap((row) => {
    const name = row.dataset.row ?? row.dataset.section;
    return name ? [{ name, kind: "in the details", run: () => show(row) }] : [];
  });
  return [...things, ...looks, ...tools, ...doing.map(([name, run]) => ({ name, kind: "do", run })), ...rows];
}

/** Bring a row of the details into sight, open it where it is folded, and put the focus on what can be set there. */
function show(row: HTMLElement) {
  row.scrollIntoView({ block: "center" });
  const fold = row.querySelector<HTMLElement>("[aria-expanded=false]");
  if (fold && row.dataset.section) fold.click();
  row.querySelector<HTMLElement>("input, select, button")?.focus();
  row.animate([{ backgroundColor: "var(--teal-soft)" }, { backgroundColor: "transparent" }], 1200);
}

/** What fits what was typed: words in any order, names that begin so first; a number is a frame. */
function matching(all: Found[], typed: string): Found[] {
  const words = typed.toLowerCase().split(/\s+/).filter(Boolean);
  const { plate } = bench().shot!;
  const frame = /^\d+$/.test(typed.trim()) ? Number(typed) : null;
  const there = frame !== null && frame >= plate.first && frame <= lastFrame(plate);
  const frames = there ? [{ name: `Frame ${frame}`, kind: "go to", run: () => goTo(frame) }] : [];
  const rank = (f: Found) => (f.name.toLowerCase().startsWith(words[0] ?? "") ? 0 : 1);
  const found = all.filter((f) => words.every((w) => `${f.name} ${f.kind}`.toLowerCase().includes(w)));
  return [...frames, ...found.sort((p, q) => rank(p) - rank(q))].slice(0, MOST);
}

/** Finds things of the shot, commands and rows by their names; Ctrl+K opens it. */
export function Finder() {
  const [all, setAll] = useState<Found[] | null>(null);
  const [typed, setTyped] = useState("");
  const input = useRef<HTMLInputElement>(null);
  useEffect(() => {
    // On the way down, for fields keep what is typed in them to themselves.
    const open = (event: KeyboardEvent) => {
      if (event.key.toLowerCase() !== "k" || !(event.ctrlKey || event.metaKey)) return;
      event.preventDefault();
      event.stopPropagation();
      setTyped("");
      setAll(everything());
    };
    window.addEventListener("keydown", open, true);
    return () => window.removeEventListener("keydown", open, true);
  }, []);
  const close = () => setAll(null);
  const choose = (found: Found | null) => {
    close();
    // After the dialog has gone, which gives the focus back to what had it.
    if (found) window.setTimeout(found.run, 60);
  };
  const found = all ? matching(all, typed) : [];
  return (
    <Dialog open={all !== null} onClose={close} initialFocus={input} className="relative z-30">
      <div className="fixed inset-0 flex items-start justify-center bg-[#0005] pt-28">
        <DialogPanel className="w-[460px] rounded-md border border-line bg-cloth p-2" data-testid="finder">
          <Combobox<Found | null> value={null} onChange={choose} immediate>
            <ComboboxInput
              ref={input}
              aria-label="Find a thing, a command, a row or a frame"
              placeholder="A cover, a command, a row, a frame …"
              className="mb-1 h-9 w-full rounded-md border border-line bg-cloth-raised px-3 outline-none"
              onChange={(event) => setTyped(event.target.value)}
            />
            <ComboboxOptions static className="flex flex-col">
              {found.map((f, i) => (
                <ComboboxOption
                  key={`${f.kind} ${f.name} ${i}`}
                  value={f}
                  className="flex cursor-pointer justify-between rounded-md px-3 py-1 data-focus:bg-teal-soft"
                >
                  {f.name} <span className="text-ink-soft">{f.kind}</span>
                </ComboboxOption>
              ))}
              {found.length === 0 && (
                <p className="px-3 py-1 text-ink-soft">Nothing here is called that. Try fewer letters.</p>
              )}
            </ComboboxOptions>
          </Combobox>
        </DialogPanel>
      </div>
    </Dialog>
  );
}
