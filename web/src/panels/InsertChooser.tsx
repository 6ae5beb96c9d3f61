import { Listbox, ListboxButton, ListboxOption, ListboxOptions } from "@headlessui/react";
import { ChevronDown } from "lucide-react";
import { useCallback } from "react";

import type { Pane } from "../api/client";
import { NumberField } from "../ui/NumberField";
import { useBench } from "../state/bench";
import { clipLabel, MakeBehind, TakeIn, useClips } from "./clips";
import { send } from "../commands/send";

const CHART = "chart";

/** What a pane shows: the test chart, or a still or clip that is taken in here. */
export function InsertChooser({ pane }: { pane: Pane }) {
  const shot = useBench((b) => b.shot!);
  const clips = useClips(shot.id);
  const show = useCallback(
    (value: string) =>
      void send({
        type: "set-pane",
        pane: pane.id,
        insert: value === CHART ? { source: "chart" } : { source: "media", media: value },
      }),
    [pane.id],
  );

  const change = (part: Partial<Pane["insert"]>) =>
    void send({ type: "set-pane", pane: pane.id, insert: { ...pane.insert, ...part } });
  const current = pane.insert.source === "media" ? (pane.insert.media ?? CHART) : CHART;
  const known = clips.data?.find((c) => c.id === current);
  return (
    <div className="mb-1.5 grid grid-cols-[84px_minmax(0,1fr)] gap-y-1.5">
      <span className="pt-1 text-ink-soft">Shows</span>
      <Listbox value={current} onChange={show}>
        <ListboxButton className="flex h-7 min-w-0 items-center justify-between rounded-md border border-line bg-cloth-raised px-2">
          <span className="truncate">
            {current === CHART ? "Test chart" : (known?.info.name ?? "Picture")}
          </span>
          <ChevronDown size={15} className="shrink-0 text-ink-soft" />
        </ListboxButton>
        <ListboxOptions
          anchor={{ to: "bottom start", gap: 4 }}
          className="z-20 w-[190px] rounded-md border border-line bg-cloth-raised p-1 shadow-lg outline-none"
        >
          {[
            { id: CHART, label: "Test chart" },
            ...(clips.data ?? []).map((c) => ({ id: c.id, label: clipLabel(c) })),
          ].map((option) => (
            <ListboxOption
              key={option.id}
              value={option.id}
              className="cursor-pointer truncate rounded px-2 py-1 data-focus:bg-teal-soft data-selected:font-semibold"
            >
              {option.label}
            </ListboxOption>
          ))}
        </ListboxOptions>
      </Listbox>
      <span />
      <div>
        <TakeIn shot={shot.id} label="Take in a still or clip …" testId="insert-files" onTaken={show} />
      </div>
      <span />
      <div>
        <MakeBehind
          shot={shot.id}
          pane={pane.id}
          label="Make the clean pane"
          title="The pane as it is without what passes before it, from all frames; it is shown in it"
          onMade={show}
        />
      </div>
      {known && known.info.count > 1 && (
        <>
          <span className="pt-1 text-ink-soft">Begins at</span>
          <span className="flex gap-1.5">
            <NumberField
              label="Frame"
              value={pane.insert.start ?? shot.plate.first}
              onCommit={(start) => change({ start: Math.round(start) })}
            />
            <select
              aria-label="Before its first and after its last picture"
              className="h-7 min-w-0 rounded-md border border-line bg-cloth-raised px-1"
              value={pane.insert.ends}
              onChange={(event) => change({ ends: event.target.value as Pane["insert"]["ends"] })}
            >
              <option value="hold">holds</option>
              <option value="loop">loops</option>
              <option value="nothing">ends</option>
            </select>
          </span>
        </>
      )}
      {known?.info.alpha && (
        <>
          <span className="pt-1 text-ink-soft">Alpha</span>
          <select
            aria-label="How its alpha is meant"
            className="h-7 min-w-0 rounded-md border border-line bg-cloth-raised px-1"
            value={pane.insert.alpha}
            onChange={(event) => change({ alpha: event.target.value as Pane["insert"]["alpha"] })}
          >
            <option value="auto">as its colours tell</option>
            <option value="straight">straight</option>
            <option value="premultiplied">premultiplied</option>
            <option value="ignored">ignored</option>
          </select>
        </>
      )}
    </div>
  );
}
