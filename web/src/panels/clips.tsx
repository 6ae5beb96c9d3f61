import { useQuery } from "@tanstack/react-query";
import { useEffect, useRef, useState } from "react";
import { toast } from "sonner";

import { api, data, listed, say, type ClipCard, type Intake, type Job } from "../api/client";
import { upload } from "../api/upload";
import { proposeDiffering } from "../commands/differing";
import { Button } from "../ui/Button";
import { Progress } from "../ui/Progress";
import { Select } from "../ui/Select";
import { goingOn, useJobs } from "./JobLine";

/** The clips that belong to a shot besides its plate. */
export function useClips(shot: string) {
  return useQuery({
    queryKey: ["clips", shot],
    queryFn: () =>
      listed((query) =>
        api.GET("/api/shots/{shot_id}/clips", { params: { path: { shot_id: shot }, query } }),
      ),
  });
}

/** A clip by its name and length. */
export function clipLabel(clip: ClipCard): string {
  return clip.info.count > 1 ? `${clip.info.name}, ${clip.info.count} frames` : clip.info.name;
}

/** Waits for the end of the job with this id or intake; `onDone` gets the clip that it made. */
function useEnd(
  by: "id" | "intake",
  expected: string | null,
  setExpected: (expected: null) => void,
  onDone?: (clip: string) => void,
) {
  // From the list and not from the notice itself: that one may come while nobody listens, or not at all.
  const { data: jobs } = useJobs();
  const ended = expected === null ? undefined : jobs?.find((job) => job[by] === expected && !goingOn(job));
  useEffect(() => {
    if (!ended) return;
    setExpected(null);
    // A clean picture's message says how much of it is known; a clip that was taken in speaks for itself.
    if (by === "id" || ended.state !== "done") toast(ended.message);
    if (ended.state === "done") onDone?.(String(ended.result?.clip));
  }, [by, ended, setExpected, onDone]);
}

/** A button that takes in a still or clip for a shot; `onTaken` gets its id once it is decoded. */
export function TakeIn(props: {
  shot: string;
  label: string;
  title?: string;
  testId: string;
  onTaken: (clip: string) => void;
}) {
  const { shot, label, title = "Take in a still, a movie or numbered pictures", testId, onTaken } = props;
  const input = useRef<HTMLInputElement>(null);
  const [sent, setSent] = useState<number | null>(null);
  const [expected, setExpected] = useState<string | null>(null);
  useEnd("intake", expected, setExpected, onTaken);
  const [asked, setAsked] = useState<{ intake: Intake; layer: string } | null>(null);
  const take = async (files: File[]) => {
    if (files.length === 0) return;
    setSent(0);
    try {
      const intake = await upload(files, { purpose: "insert", shot }, setSent, new AbortController().signal);
      const { gaps, layers, layer } = intake.understood!;
      if (gaps.length) toast("Some frames of this sequence are missing; the frame before each gap is held.");
      if (layers.length > 1) setAsked({ intake, layer: layer || layers[0]! });
      else await accept(intake, layer);
    } catch (error) {
      say(error);
    } finally {
      setSent(null);
    }
  };
  const accept = async (intake: Intake, layer: string) => {
    const { name, first, rate_num, rate_den, pixel_aspect, light } = intake.understood!;
    setAsked(null);
    setExpected(intake.id);
    try {
      await data<Intake>(
        api.POST("/api/intakes/{intake_id}/accept", {
          params: { path: { intake_id: intake.id } },
          body: {
            name: name.slice(0, 80) || "Insert",
            first,
            rate_num,
            rate_den,
            pixel_aspect,
            layer,
            light,
            hold_gaps: true,
          },
        }),
      );
    } catch (error) {
      setExpected(null);
      say(error);
    }
  };
  if (asked) return <WhichLayer {...asked} pick={setAsked} take={accept} />;
  return (
    <span>
      <input
        ref={input}
        type="file"
        multiple
        hidden
        data-testid={testId}
        onChange={(event) => {
          void take([...(event.target.files ?? [])]);
          event.target.value = "";
        }}
      />
      <Button
        small
        disabled={sent !== null || expected !== null}
        title={title}
        onClick={() => input.current?.click()}
      >
        {expected !== null ? "Decoding …" : label}
      </Button>
      {sent !== null && <Progress share={sent} label="Sending" />}
    </span>
  );
}

/** Asks which of several layers of a clip is shown, before it is decoded. */
function WhichLayer(props: {
  intake: Intake;
  layer: string;
  pick: (asked: { intake: Intake; layer: string } | null) => void;
  take: (intake: Intake, layer: string) => Promise<void>;
}) {
  const { intake, layer, pick, take } = props;
  const options = intake.understood!.layers.map((name) => ({ value: name, label: name || "Plain colours" }));
  const drop = () => {
    pick(null);
    api.DELETE("/api/intakes/{intake_id}", { params: { path: { intake_id: intake.id } } }).catch(say);
  };
  return (
    <span className="flex min-w-0 flex-1 flex-wrap items-center gap-1.5" data-testid="which-layer">
      <span className="flex w-44">
        <Select label="Layer" options={options} value={layer} onPick={(to) => pick({ intake, layer: to })} />
      </span>
      <Button small look="main" onClick={() => void take(intake, layer)}>
        Take it in
      </Button>
      <Button small look="quiet" title="Nothing is taken in" onClick={drop}>
        Drop
      </Button>
    </span>
  );
}

/** Whether the clean picture of a shot's plate, or of one of its panes, was made. */
export function useCleanPlate(shot: string, pane: string | null = null): boolean {
  const jobs = useJobs(shot).data ?? [];
  return jobs.some(
    (job) => job.kind === "behind" && job.state === "done" && (job.result?.pane ?? null) === pane,
  );
}

/** A button that proposes to hold out what differs from the clean picture, which is made first where it is not there. */
export function HoldOutDiffering({
  shot,
  pane,
  label,
}: {
  shot: string;
  pane: string | null;
  label: string;
}) {
  const known = useCleanPlate(shot, pane);
  const propose = () => proposeDiffering(pane);
  // One button all along: it must be there still when what it ordered has come.
  return (
    <MakeBehind
      shot={shot}
      pane={pane ?? undefined}
      label={label}
      title="What differs from the clean picture stays in front: shown on every frame, then kept or dropped"
      onMade={propose}
      instead={known ? propose : undefined}
    />
  );
}

/** A button that has the clean picture made, of the plate or of a pane; `onMade` gets the clip that it became. */
export function MakeBehind(props: {
  shot: string;
  pane?: string;
  label: string;
  title: string;
  onMade?: (clip: string) => void;
  /** What is done instead, where it is there already. */
  instead?: () => void;
}) {
  const { shot, pane, label, title, onMade, instead } = props;
  const [expected, setExpected] = useState<string | null>(null);
  useEnd("id", expected, setExpected, onMade);
  const make = async () => {
    try {
      const job = await data<Job>(
        api.POST("/api/shots/{shot_id}/behind", {
          params: { path: { shot_id: shot } },
          body: { pane: pane ?? null },
        }),
      );
      setExpected(job.id);
    } catch (error) {
      say(error);
    }
  };
  return (
    <Button
      small
      disabled={expected !== null}
      title={title}
      onClick={() => (instead ? instead() : void make())}
    >
      {expected !== null ? "Making it …" : label}
    </Button>
  );
}
