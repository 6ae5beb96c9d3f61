import { Listbox, ListboxButton, ListboxOption, ListboxOptions } from "@headlessui/react";
import { useQuery } from "@tanstack/react-query";
import { ChevronDown } from "lucide-react";
import { useCallback, useRef, useState } from "react";
import { toast } from "sonner";

import { api, data, tell, type ClipCard, type Edit, type Intake, type Pane } from "../../api/client";
import { useNotice, type Notice } from "../../api/events";
import { upload } from "../../api/upload";
import { Button } from "../../ui/Button";
import { NumberField } from "../../ui/NumberField";
import { Progress } from "../../ui/Progress";
import { useBench } from "./bench";
import { send } from "./send";

const CHART = "chart";

/** The clips that belong to a shot besides its plate. */
export function useClips(shot: string) {
  return useQuery({
    queryKey: ["clips", shot],
    queryFn: () =>
      data<ClipCard[]>(api.GET("/api/shots/{shot_id}/clips", { params: { path: { shot_id: shot } } })),
  });
}

/** What a pane shows: the test chart, or a still or clip that is taken in here. */
export function InsertChooser({ pane }: { pane: Pane }) {
  const shot = useBench((b) => b.shot!);
  const input = useRef<HTMLInputElement>(null);
  const [sent, setSent] = useState<number | null>(null);
  const [expected, setExpected] = useState<string | null>(null);
  const clips = useClips(shot.id);
  const show = (value: string) =>
    void send({
      type: "set-pane",
      pane: pane.id,
      insert: value === CHART ? { source: "chart" } : { source: "media", media: value },
    } as Edit);

  useNotice(
    useCallback(
      (notice: Notice) => {
        if (notice.topic !== "job" || notice.intake !== expected || expected === null) return;
        if (notice.state === "done") {
          setExpected(null);
          void send({
            type: "set-pane",
            pane: pane.id,
            insert: { source: "media", media: String(notice.result?.clip) },
          } as Edit);
        } else if (notice.state === "failed" || notice.state === "cancelled") {
          setExpected(null);
          toast(notice.message);
        }
      },
      [expected, pane.id],
    ),
  );

  const take = async (files: File[]) => {
    if (files.length === 0) return;
    setSent(0);
    try {
      const intake = await upload(
        files,
        { purpose: "insert", shot: shot.id },
        setSent,
        new AbortController().signal,
      );
      const { name, first, rate_num, rate_den, pixel_aspect, gaps } = intake.understood!;
      if (gaps?.length) toast("Some frames of this sequence are missing; the frame before each gap is held.");
      setExpected(intake.id);
      await data<Intake>(
        api.POST("/api/intakes/{intake_id}/accept", {
          params: { path: { intake_id: intake.id } },
          body: {
            name: name.slice(0, 80) || "Insert",
            first: first ?? 1001,
            rate_num: rate_num ?? 25,
            rate_den: rate_den ?? 1,
            pixel_aspect: pixel_aspect ?? 1,
            hold_gaps: true,
          },
        }),
      );
    } catch (error) {
      setExpected(null);
      tell(error);
    } finally {
      setSent(null);
    }
  };

  const current = pane.insert?.source === "media" ? (pane.insert.media ?? CHART) : CHART;
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
            ...(clips.data ?? []).map((c) => ({ id: c.id, label: label(c) })),
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
        <input
          ref={input}
          type="file"
          multiple
          hidden
          data-testid="insert-files"
          onChange={(event) => {
            void take([...(event.target.files ?? [])]);
            event.target.value = "";
          }}
        />
        <Button small disabled={sent !== null} onClick={() => input.current?.click()}>
          Take in a still or clip …
        </Button>
        {sent !== null && <Progress share={sent} label="Sending" />}
      </div>
      {known && known.info.count > 1 && (
        <>
          <span className="pt-1 text-ink-soft">Begins at</span>
          <NumberField
            label="Frame"
            value={pane.insert?.start ?? shot.plate.first ?? 1001}
            onCommit={(start) =>
              void send({
                type: "set-pane",
                pane: pane.id,
                insert: { source: "media", media: current, start: Math.round(start) },
              } as Edit)
            }
          />
        </>
      )}
    </div>
  );
}

function label(clip: ClipCard): string {
  return clip.info.count > 1 ? `${clip.info.name}, ${clip.info.count} frames` : clip.info.name;
}
