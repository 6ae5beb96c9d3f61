import { useQuery } from "@tanstack/react-query";
import { bounds } from "../api/bounds";
import { ChevronLeft, ChevronRight, ChevronsLeftRight, Square, X } from "lucide-react";

import { api, data, type Job, type Carrier, type SolvedFrame } from "../api/client";
import { Button, IconButton } from "../ui/Button";
import { lastFrame } from "../state/plate";
import { NumberField } from "../ui/NumberField";
import { Section } from "../ui/Section";
import { Select } from "../ui/Select";
import { TextField } from "../ui/TextField";
import { goTo, useBench, useFrame } from "../state/bench";
import { carriersOf, isByHand, solvedOf } from "../state/carriers";
import { CheckRows } from "./CheckRows";
import { FollowedRows } from "./FollowedRows";
import { HandRows } from "./HandRows";
import { useClips } from "./clips";
import { cancelJob, underWay, useJobs } from "./JobLine";
import { RegionRows } from "./RegionRows";
import { Heading, Row } from "./Row";
import { send } from "../commands/send";
import { solve } from "../commands/solving";
import { Settled } from "../state/types";

const MODELS = [
  { value: "shift", label: "Shift" },
  { value: "shift_scale", label: "Shift and scale" },
  { value: "similarity", label: "Shift, scale and turn" },
  { value: "affine", label: "Affine" },
  { value: "perspective", label: "Perspective" },
];
const CHANNELS = [
  { value: "auto", label: "Best channel" },
  { value: "luma", label: "Luma" },
  { value: "red", label: "Red" },
  { value: "green", label: "Green" },
  { value: "blue", label: "Blue" },
];

/** Why a frame is not sure, and what to do next, in the words of the solver. */
function useReasons(shot_id: string): Record<string, string> {
  const found = useQuery({
    queryKey: ["reasons"],
    staleTime: Infinity,
    queryFn: () =>
      data<Record<string, string>>(
        api.GET("/api/shots/{shot_id}/reasons", { params: { path: { shot_id } } }),
      ),
  });
  return found.data ?? {};
}

/** Where a carrier looks, how it moves, and solving it. */
export function CarrierDetails({ b, carrier }: { b: Settled; carrier: Carrier }) {
  const frame = useFrame();
  const set = (change: Partial<Carrier>) =>
    void send({ type: "set-carrier", carrier: carrier.id, ...change });
  const { job } = underWay(useJobs(b.shot!.id).data?.filter((j) => j.kind === "solve"));
  return (
    <>
      <Heading name={carrier.name} kind="carrier" />
      {!isByHand(carrier) && <SolveRow b={b} carrier={carrier} job={job} />}
      <EvidenceOf place={solvedOf(b, carrier).get(frame)} />
      <Runs b={b} carrier={carrier} />
      {carrier.points.length ? (
        <FollowedRows b={b} carrier={carrier} />
      ) : (
        <Looking b={b} carrier={carrier} set={set} />
      )}
      {!isByHand(carrier) && <BeginRow b={b} carrier={carrier} set={set} />}
      {!isByHand(carrier) && <LeavingOut b={b} carrier={carrier} set={set} />}
      <HandRows carrier={carrier} />
      <Section title="Slip, jitter, smoothing" open={false}>
        <CheckRows b={b} carrier={carrier} busy={job !== undefined} />
      </Section>
      <More b={b} carrier={carrier} set={set} />
    </>
  );
}

/** Solving: back, all and on from the frame in view, or the loop's range; stopping while it runs. */
function SolveRow({ b, carrier, job }: { b: Settled; carrier: Carrier; job: Job | undefined }) {
  const frame = useFrame();
  const span = useBench((now) => now.loop);
  const { plate } = b.shot!;
  const first = plate.first;
  const last = lastFrame(plate);
  return (
    <Row label="Solve">
      {job ? (
        <Button small look="brick" onClick={() => cancelJob(job.id)}>
          <Square size={13} /> Stop, keep what is there
        </Button>
      ) : (
        <>
          <IconButton
            label="Solve backwards from this frame"
            className="h-7 w-8 border border-line"
            onClick={() => solve(carrier.id, first, Math.max(frame, first + 1))}
          >
            <ChevronLeft size={17} />
          </IconButton>
          <Button
            small
            look="main"
            title="Solve all frames, both ways"
            onClick={() => solve(carrier.id, first, last)}
          >
            <ChevronsLeftRight size={15} /> Solve all
          </Button>
          <IconButton
            label="Solve forwards from this frame"
            className="h-7 w-8 border border-line"
            onClick={() => solve(carrier.id, Math.min(frame, last - 1), last)}
          >
            <ChevronRight size={17} />
          </IconButton>
          {span && (
            <Button small onClick={() => solve(carrier.id, span[0], span[1])}>
              {span[0]} to {span[1]}
            </Button>
          )}
        </>
      )}
    </Row>
  );
}

/** The stretches that need a hand, with why. */
function Runs({ b, carrier }: { b: Settled; carrier: Carrier }) {
  const why = useReasons(b.shot!.id);
  return (
    <>
      {(b.doubts[carrier.id]?.runs ?? []).map((run) => (
        <button
          key={run.first}
          type="button"
          className="mb-1 block w-full rounded-md border-l-[3px] border-marigold py-0.5 pr-1 pl-2 text-left text-[13px] leading-[17px] hover:bg-cloth-sunk"
          onClick={() => goTo(run.first)}
        >
          <b>{run.first === run.last ? run.first : `${run.first} to ${run.last}`}</b> {run.status}.{" "}
          {why[run.reason]}
        </button>
      ))}
    </>
  );
}

/** Its name, its references, and taking away what was solved or all of it. */
function More({ b, carrier, set }: { b: Settled; carrier: Carrier; set: Set }) {
  const frame = useFrame();
  const span = useBench((now) => now.loop);
  const solved = solvedOf(b, carrier);
  const { plate } = b.shot!;
  return (
    <Section title="Name and more" open={false}>
      <Row label="Name">
        <TextField label="Name" className="flex-1" value={carrier.name} onCommit={(name) => set({ name })} />
      </Row>
      <Row label="Reference">
        <Button small look="quiet" onClick={() => goTo(carrier.at)}>
          Frame {carrier.at}
        </Button>
        {carrier.references.map((frame) => (
          <Button
            key={frame}
            small
            title={`Take the further reference at ${frame} away`}
            onClick={() => void send({ type: "renew-reference", carrier: carrier.id, frame, renew: false })}
          >
            {frame} <X size={12} />
          </Button>
        ))}
        {solved.get(frame)?.status === "solved" && frame !== carrier.at && !carrier.points.length && (
          <Button
            small
            title="Beyond this frame, compare with what is seen here; solve again to use it"
            onClick={() => void send({ type: "renew-reference", carrier: carrier.id, frame: frame })}
          >
            New at {frame}
          </Button>
        )}
      </Row>
      <Row label="Solution">
        <Button
          small
          disabled={!carrier.solved.length}
          onClick={() =>
            void send({
              type: "clear-solution",
              carrier: carrier.id,
              first: span?.[0] ?? plate.first,
              last: span?.[1] ?? lastFrame(plate),
            })
          }
        >
          {span ? `Clear ${span[0]} to ${span[1]}` : "Clear all of it"}
        </Button>
      </Row>
      <Row label="">
        <Button look="brick" small onClick={() => void send({ type: "delete", element: carrier.id })}>
          Delete carrier
        </Button>
      </Row>
    </Section>
  );
}

/** What the confidence of the frame in view is made of. */
function EvidenceOf({ place }: { place: SolvedFrame | undefined }) {
  const evidence = place?.evidence;
  if (!evidence) return null;
  const share = (value: number) => `${Math.round(100 * value)} %`;
  const parts = [
    [share(evidence.agreement), "agree", "Share of the patch's textured parts that move as the whole does"],
    [
      share(evidence.texture),
      "textured",
      "Share of the patch over which there is texture to tell the motion by",
    ],
    [share(evidence.overlap), "seen", "Share of the reference that is seen on this frame"],
    [
      evidence.residual.toFixed(1),
      "off",
      "What is left of the difference to the reference, in levels of 0 to 255; grain alone leaves some",
    ],
  ];
  return (
    <Row label={`At ${place.frame}`}>
      <span className="flex flex-wrap gap-x-2.5 text-[13px]" data-testid="evidence">
        {parts.map(([value, what, title]) => (
          <span key={what} title={title}>
            <b className="font-semibold">{value}</b> <span className="text-ink-soft">{what}</span>
          </span>
        ))}
      </span>
    </Row>
  );
}

type Set = (change: Partial<Carrier>) => void;

/** What a carrier of patches looks at, and how it may move. */
function Looking({ b, carrier, set }: { b: Settled; carrier: Carrier; set: Set }) {
  return (
    <>
      <Row label="Model">
        <Select
          label="Model"
          options={MODELS}
          value={carrier.model}
          onPick={(model) => set({ model: model as Carrier["model"] })}
        />
      </Row>
      <RegionRows b={b} carrier={carrier} what="patch" />
      <Row label="At its end">
        <label
          className="flex items-center gap-2"
          title="Where the motion cannot be told any more, as it leaves the frame"
        >
          <input
            type="checkbox"
            checked={carrier.runs_out}
            onChange={(event) => set({ runs_out: event.target.checked })}
          />
          runs out with shift only
        </label>
      </Row>
    </>
  );
}

/** Where on each frame the motion is looked for first: where another carrier goes, which is solved already. */
function BeginRow({ b, carrier, set }: { b: Settled; carrier: Carrier; set: Set }) {
  const others = carriersOf(b).filter((c) => c.id !== carrier.id);
  if (!others.length) return null;
  return (
    <Row label="Begins on">
      <Select
        label="Begins on"
        options={[{ value: "", label: "Itself" }, ...others.map((c) => ({ value: c.id, label: c.name }))]}
        value={carrier.begins ?? ""}
        onPick={(begins) => set({ begins })}
      />
    </Row>
  );
}

/** The channel, and what is left out of patches and points alike. */
function LeavingOut({ b, carrier, set }: { b: Settled; carrier: Carrier; set: Set }) {
  const clips = useClips(b.shot!.id).data ?? [];
  return (
    <>
      <Row label="Looks at">
        <Select
          label="Channel"
          options={CHANNELS}
          value={carrier.channel}
          onPick={(channel) => set({ channel: channel as Carrier["channel"] })}
        />
      </Row>
      {!carrier.points.length && <RegionRows b={b} carrier={carrier} what="blind" />}
      <Row label="Covers">
        <label className="flex items-center gap-2">
          <input
            type="checkbox"
            checked={carrier.avoids}
            onChange={(event) => set({ avoids: event.target.checked })}
          />
          leave out
        </label>
        <NumberField
          label="Margin"
          caption="with"
          unit="px"
          narrow
          value={carrier.margin}
          {...bounds.Carrier.margin}
          onCommit={(margin) => set({ margin })}
        />
      </Row>
      {clips.length > 0 && (
        <Row label="Matte">
          <Select
            label="Matte that is left out"
            options={[
              { value: "", label: "None" },
              ...clips.map((c) => ({ value: c.id, label: c.info.name })),
            ]}
            value={carrier.matte ?? ""}
            onPick={(matte) => set({ matte })}
          />
        </Row>
      )}
    </>
  );
}
