import { useQuery, useQueryClient } from "@tanstack/react-query";
import { bounds } from "../api/bounds";
import { useCallback, useState, type ReactNode } from "react";
import { Link, useLocation } from "wouter";

import { api, data, say, type Correction, type Intake, type Understood } from "../api/client";
import { useNotice, type Notice } from "../api/events";
import { Button } from "../ui/Button";
import { rateText } from "../state/plate";
import { Mark } from "../ui/Mark";
import { NumberField } from "../ui/NumberField";
import { Progress } from "../ui/Progress";
import { TextField } from "../ui/TextField";
import { cancelJob, goingOn, useJobs } from "../panels/JobLine";

/** What was understood from the files, to be corrected and accepted. */
export function IntakePage({ id }: { id: string }) {
  const [, go] = useLocation();
  const queries = useQueryClient();
  const path = { params: { path: { intake_id: id } } };
  const query = useQuery({
    queryKey: ["intakes", id],
    queryFn: () => data<Intake>(api.GET("/api/intakes/{intake_id}", path)),
  });
  const job = useJobs().data?.find((j) => j.intake === id && goingOn(j));
  useNotice(
    useCallback(
      (notice: Notice) => {
        if (notice.topic === "job" && notice.intake === id && notice.state === "done")
          go(`/shots/${String(notice.result?.shot)}`);
      },
      [go, id],
    ),
  );
  const accept = async (correction: Correction) => {
    try {
      const intake = await data<Intake>(
        api.POST("/api/intakes/{intake_id}/accept", { ...path, body: correction }),
      );
      queries.setQueryData(["intakes", id], intake);
      // The job may have ended before this answer came.
      void queries.invalidateQueries({ queryKey: ["intakes", id] });
    } catch (error) {
      say(error);
    }
  };
  const discard = () =>
    api
      .DELETE("/api/intakes/{intake_id}", path)
      .then(() => {
        void queries.invalidateQueries({ queryKey: ["intakes"] });
        go("/");
      })
      .catch(say);

  const intake = query.data;
  return (
    <main className="min-h-full">
      <header className="flex h-14 items-center gap-2 border-b border-line px-6">
        <Mark />
        <Link href="/" className="text-ink-soft hover:text-ink">
          Shots
        </Link>
        <span className="text-ink-soft">/</span>
        <h1 className="text-[17px] font-semibold">Intake</h1>
      </header>
      <div className="mx-auto max-w-[820px] px-6 py-6">
        {query.error && <p>{query.error.message}</p>}
        {intake?.understood && (
          <>
            {intake.state === "failed" && (
              <p className="mb-4 rounded-md border border-brick px-4 py-3 text-brick" role="alert">
                {intake.message}
              </p>
            )}
            {intake.state === "decoding" ? (
              <section className="mb-6 flex items-center gap-4">
                <div className="flex-1">
                  <p className="mb-1">
                    {job?.total ? `Decoding, ${job.done} of ${job.total} frames` : "Waiting to be decoded"}
                  </p>
                  <Progress share={job?.total ? job.done / job.total : 0} label="Decoding" />
                </div>
                {job && <Button onClick={() => cancelJob(job.id)}>Cancel</Button>}
              </section>
            ) : null}
            <Understanding
              key={intake.state}
              id={intake.id}
              understood={intake.understood}
              busy={intake.state === "decoding"}
              again={intake.state === "failed"}
              onAccept={(correction) => void accept(correction)}
              onDiscard={() => void discard()}
            />
          </>
        )}
      </div>
    </main>
  );
}

/** Common frame rates; NTSC's ones are exact fractions (SMPTE ST 12-1). */
const RATES: [number, number][] = [
  [24000, 1001],
  [24, 1],
  [25, 1],
  [30000, 1001],
  [30, 1],
  [50, 1],
  [60000, 1001],
  [60, 1],
];

function Understanding({
  id,
  understood: u,
  busy,
  again,
  onAccept,
  onDiscard,
}: {
  id: string;
  understood: Understood;
  busy: boolean;
  again: boolean;
  onAccept: (correction: Correction) => void;
  onDiscard: () => void;
}) {
  const [c, setC] = useState<Correction>({
    name: u.name.slice(0, 80) || "Plate",
    first: u.first,
    rate_num: u.rate_num,
    rate_den: u.rate_den,
    pixel_aspect: u.pixel_aspect,
    hold_gaps: false,
  });
  const change = (part: Partial<Correction>) => setC({ ...c, ...part });
  const gaps = u.gaps;
  const missing = gaps.reduce((n, g) => n + g.last - g.first + 1, 0);
  return (
    <fieldset disabled={busy} className="disabled:opacity-60">
      <div className="mb-5 grid grid-cols-[340px_minmax(0,1fr)] gap-x-8">
        <img
          src={`/api/intakes/${id}/picture.jpg`}
          alt="The first frame"
          className="max-h-60 w-full rounded-md bg-table object-contain"
        />
        <div className="grid content-start gap-y-2">
          <h2 className="font-semibold">What was understood</h2>
          <Fact label="Kind">
            {u.kind}
            {u.codec && `, ${u.codec}`}
          </Fact>
          <Fact label="Size">
            {u.width} x {u.height}
          </Fact>
          <Fact label="Frames">
            {u.count}, {c.first} to {c.first + u.count - 1}
          </Fact>
          <Fact label="Depth">
            {u.bit_depth} bit{u.floating ? " float" : ""}
            {u.alpha ? ", with alpha" : ""}
          </Fact>
          <Fact label="Files">
            {u.files.length === 1 ? u.files![0] : `${u.files![0]} and ${u.files!.length - 1} more`}
          </Fact>
          <Fact label="Rate">
            {u.rate_known
              ? `${rateText(u.rate_num, u.rate_den)} f/s (${u.rate_num}/${u.rate_den})`
              : "not in the files"}
            {u.rate_varies && ", varies"}
          </Fact>
          <Fact label="Gaps">
            {gaps.length === 0
              ? "none"
              : gaps.map((g) => (g.first === g.last ? g.first : `${g.first} to ${g.last}`)).join(", ")}
          </Fact>
        </div>
      </div>
      {u.notes.map((note) => (
        <p key={note} className="mb-2 border-l-[3px] border-marigold pl-3">
          {note}
        </p>
      ))}
      <div className="my-5 grid gap-y-2.5 border-t border-line pt-5">
        <h2 className="font-semibold">Correct it where it is wrong</h2>
        <Fact label="Name">
          <TextField label="Name" className="w-72" value={c.name} onCommit={(name) => change({ name })} />
        </Fact>
        <Fact label="First frame">
          <NumberField
            label="Frame"
            value={c.first}
            {...bounds.Correction.first}
            onCommit={(first) => change({ first: Math.round(first) })}
          />
        </Fact>
        <Fact label="Frames a second">
          <span className="flex flex-wrap gap-1.5">
            {RATES.map(([num, den]) => (
              <Button
                key={`${num}/${den}`}
                small
                look={c.rate_num * den === num * c.rate_den ? "main" : "plain"}
                aria-pressed={c.rate_num * den === num * c.rate_den}
                onClick={() => change({ rate_num: num, rate_den: den })}
              >
                {rateText(num, den)}
              </Button>
            ))}
            <NumberField
              label="as"
              value={c.rate_num}
              {...bounds.Correction.rate_num}
              onCommit={(n) => change({ rate_num: Math.round(n) })}
            />
            <NumberField
              label="/"
              value={c.rate_den}
              {...bounds.Correction.rate_den}
              onCommit={(n) => change({ rate_den: Math.round(n) })}
            />
          </span>
        </Fact>
        <Fact label="Pixel shape">
          <NumberField
            label="width : height"
            digits={4}
            step={0.01}
            {...bounds.Correction.pixel_aspect}
            value={c.pixel_aspect}
            onCommit={(pixel_aspect) => change({ pixel_aspect })}
          />
        </Fact>
        {gaps.length > 0 && (
          <Fact label="Gaps">
            <label className="flex items-center gap-2">
              <input
                type="checkbox"
                checked={c.hold_gaps}
                onChange={(event) => change({ hold_gaps: event.target.checked })}
              />
              Hold the frame before each gap ({missing} {missing === 1 ? "frame is" : "frames are"} missing)
            </label>
          </Fact>
        )}
      </div>
      <div className="flex gap-2">
        <Button look="main" disabled={busy || (gaps.length > 0 && !c.hold_gaps)} onClick={() => onAccept(c)}>
          {again ? "Try again" : "Take as plate"}
        </Button>
        <Button look="brick" onClick={onDiscard}>
          Discard
        </Button>
      </div>
    </fieldset>
  );
}

function Fact({ label, children }: { label: string; children: ReactNode }) {
  return (
    <div className="grid grid-cols-[130px_minmax(0,1fr)] items-center">
      <span className="text-ink-soft">{label}</span>
      <span className="min-w-0">{children}</span>
    </div>
  );
}
