import { useQuery, useQueryClient } from "@tanstack/react-query";
import { Download, FileDown, Trash2 } from "lucide-react";
import { useState } from "react";

import {
  api,
  data,
  say,
  type Job,
  type Preset,
  type Presets,
  type Preview,
  type ShotState,
} from "../api/client";
import { cancelJob, goingOn, useJobs } from "../panels/JobLine";
import { settingsOf } from "../state/lookups";
import { useVersions } from "../state/versions";
import { Button, IconButton } from "../ui/Button";
import { bytesText } from "../ui/bytes";
import { NumberField } from "../ui/NumberField";
import { PageHeader } from "../ui/PageHeader";
import { Progress } from "../ui/Progress";
import { Select } from "../ui/Select";
import { TextField } from "../ui/TextField";
import { DeliveryItems } from "./DeliveryItems";

const SIZES = [
  { value: "1", label: "Full size" },
  { value: "0.5", label: "Half size" },
  { value: "0.25", label: "A quarter" },
];

/** What goes out, and the packages that were rendered. */
export function DeliverPage({ id }: { id: string }) {
  const shot = useQuery({
    queryKey: ["shot", id],
    queryFn: () => data<ShotState>(api.GET("/api/shots/{shot_id}", { params: { path: { shot_id: id } } })),
    gcTime: 0,
  });
  const known = useQuery({ queryKey: ["presets"], queryFn: () => data<Presets>(api.GET("/api/presets")) });
  const settings = shot.data?.elements.settings;
  const name = settings?.kind === "settings" ? settings.name : "";
  return (
    <main className="min-h-full">
      <PageHeader title="Deliver" way={name ? [{ href: `/shots/${id}`, name }] : []} />
      {shot.error && <p className="px-6 py-6">{shot.error.message}</p>}
      {shot.data && known.data && <Ordering shot={shot.data} known={known.data} />}
    </main>
  );
}

function Ordering({ shot, known }: { shot: ShotState; known: Presets }) {
  const [preset, setPreset] = useState<Preset>(known.presets[0]!);
  const [of, setOf] = useState<number | null>(null);
  const [comment, setComment] = useState("");
  const versions = useVersions(shot.id).data ?? [];
  const order = { ...preset, of, comment: "" };
  const ended = useJobs(shot.id).data?.filter((job) => job.state === "done").length ?? 0;
  const preview = useQuery({
    queryKey: ["delivery", shot.id, order, shot.revision, ended],
    queryFn: () =>
      data<Preview>(
        api.POST("/api/shots/{shot_id}/deliveries/preview", {
          params: { path: { shot_id: shot.id } },
          body: order,
        }),
      ),
    enabled: preset.items.length > 0,
    placeholderData: (old) => old,
    retry: false,
  });
  const render = () =>
    api
      .POST("/api/shots/{shot_id}/deliveries", {
        params: { path: { shot_id: shot.id } },
        body: { ...order, comment },
      })
      .catch(say);
  const presets = [...known.presets, ...known.own];
  const change = (part: Partial<Preset>) => setPreset({ ...preset, ...part });
  return (
    <div className="mx-auto grid max-w-[1120px] grid-cols-[500px_minmax(0,1fr)] gap-10 px-6 py-5">
      <section aria-label="What goes out">
        <div className="mb-3 grid grid-cols-[88px_minmax(0,1fr)] items-center gap-2">
          <span>Begin with</span>
          <Select
            label="Begin with"
            options={presets.map((p) => ({ value: p.name, label: p.name }))}
            value={preset.name}
            onPick={(chosen) => setPreset(presets.find((p) => p.name === chosen)!)}
          />
          <span>Preset</span>
          <Kept preset={preset} known={known} onName={(name) => change({ name })} />
          <span>Made of</span>
          <Select
            label="Made of"
            options={[
              { value: "", label: `The shot as it is now (r${shot.revision})` },
              ...versions.map((v) => ({ value: String(v.number), label: `${v.label}, ${v.name}` })),
            ]}
            value={of === null ? "" : String(of)}
            onPick={(chosen) => setOf(chosen === "" ? null : Number(chosen))}
          />
        </div>
        <DeliveryItems items={preset.items} known={known} change={(items) => change({ items })} />
        <How preset={preset} shot={shot} change={change} />
        <div className="mt-2 grid grid-cols-[88px_minmax(0,1fr)] items-center gap-2">
          <span>Comment</span>
          <TextField
            label="Comment"
            value={comment}
            placeholder={versions.find((v) => v.number === of)?.comment || "for whoever gets it"}
            onCommit={setComment}
          />
        </div>
      </section>
      <section aria-label="Files">
        <div className="mb-2 flex items-baseline justify-between">
          <h2 className="font-semibold">Files</h2>
          {preview.data && !preview.error && (
            <span className="text-ink-soft" data-testid="estimate">
              {told(preview.data)}
            </span>
          )}
        </div>
        {preview.error ? (
          <p role="alert" className="border-l-[3px] border-brick pl-3">
            {preview.error.message}
          </p>
        ) : (
          <ul className="max-h-56 overflow-y-auto rounded-md border border-line bg-cloth-raised px-4 py-2">
            {preset.items.length === 0 && (
              <li className="text-ink-soft">Nothing is chosen yet. Add something.</li>
            )}
            {preset.items.length > 0 &&
              preview.data?.files.map((file) => (
                <li key={file} className="truncate py-0.5" title={file}>
                  {file}
                </li>
              ))}
          </ul>
        )}
        {preview.data?.remarks.map((remark) => (
          <p key={remark} className="my-2 border-l-[3px] border-marigold pl-3">
            {remark}
          </p>
        ))}
        <div className="mt-3 flex items-center gap-4">
          <Button
            look="main"
            disabled={preset.items.length === 0 || preview.error !== null}
            onClick={() => void render()}
          >
            Render delivery
          </Button>
          <a
            className="inline-flex items-center gap-1.5 text-teal hover:underline"
            href={`/api/shots/${shot.id}/file`}
            download
          >
            <FileDown size={16} /> Save the shot file
          </a>
        </div>
        <Rendered id={shot.id} />
      </section>
    </div>
  );
}

/** Names, frames and size of what is written. */
/** The preset's name, and keeping it on the server for everybody, or forgetting it. */
function Kept(props: { preset: Preset; known: Presets; onName: (name: string) => void }) {
  const { preset, known, onName } = props;
  const queries = useQueryClient();
  const done = () => queries.invalidateQueries({ queryKey: ["presets"] });
  const kept = known.own.find((p) => p.name === preset.name);
  const builtIn = known.presets.some((p) => p.name === preset.name);
  const keep = () => api.PUT("/api/presets", { body: preset }).then(done).catch(say);
  const forget = () =>
    api
      .DELETE("/api/presets/{name}", { params: { path: { name: preset.name } } })
      .then(done)
      .catch(say);
  return (
    <span className="flex items-center gap-1.5">
      <TextField
        label="Name of the preset"
        className="min-w-0 flex-1"
        value={preset.name}
        onCommit={onName}
      />
      <Button
        small
        disabled={builtIn || preset.items.length === 0 || JSON.stringify(kept) === JSON.stringify(preset)}
        title={
          builtIn
            ? "It is there from the beginning; give yours another name"
            : "Keep it under this name, for everybody"
        }
        onClick={() => void keep()}
      >
        {kept ? "Keep anew" : "Keep"}
      </Button>
      {kept && (
        <IconButton label={`Forget ${preset.name}`} onClick={() => void forget()}>
          <Trash2 size={15} />
        </IconButton>
      )}
    </span>
  );
}

const sizeOf = ([left, top, right, bottom]: readonly number[]) => `${right! - left!} x ${bottom! - top!}`;

function How(props: { preset: Preset; shot: ShotState; change: (part: Partial<Preset>) => void }) {
  const { preset, shot, change } = props;
  const { first, count } = shot.plate;
  const last = first + count - 1;
  const settings = settingsOf(shot.elements);
  // A preset may have been kept with a crop that is not this shot's.
  const own = preset.crop && String(preset.crop) !== String(settings?.crop) ? preset.crop : null;
  return (
    <div className="mt-4 grid grid-cols-[88px_minmax(0,1fr)] items-center gap-x-2 gap-y-2">
      <span>Names</span>
      <TextField
        label="Pattern of names"
        className="w-full"
        longest={240}
        value={preset.pattern}
        onCommit={(pattern) => change({ pattern })}
      />
      <span>Frames</span>
      <div className="flex items-center gap-2">
        <NumberField
          label="First frame"
          caption="from"
          min={first}
          max={preset.last ?? last}
          value={preset.first ?? first}
          onCommit={(value) => change({ first: value })}
        />
        <NumberField
          label="Last frame"
          caption="to"
          min={preset.first ?? first}
          max={last}
          value={preset.last ?? last}
          onCommit={(value) => change({ last: value })}
        />
        <NumberField
          label="Handles"
          caption="handles"
          min={0}
          max={1000}
          value={preset.handles}
          onCommit={(handles) => change({ handles })}
        />
      </div>
      <span>Numbers</span>
      <Select
        label="Numbers"
        options={[
          { value: "plate", label: "As the plate's" },
          { value: "one", label: "From 1" },
        ]}
        value={preset.numbering}
        onPick={(numbering) => change({ numbering: numbering as Preset["numbering"] })}
      />
      {(settings?.crop ?? preset.crop) && (
        <>
          <span>Picture</span>
          <Select
            label="Picture"
            options={[
              { value: "whole", label: "Whole plate" },
              ...(settings?.crop ? [{ value: "crop", label: `The crop, ${sizeOf(settings.crop)}` }] : []),
              ...(own ? [{ value: "own", label: `The preset's crop, ${sizeOf(own)}` }] : []),
            ]}
            value={own ? "own" : preset.crop ? "crop" : "whole"}
            onPick={(picked) => {
              if (picked !== "own") change({ crop: picked === "crop" ? settings!.crop : null });
            }}
          />
        </>
      )}
      <span>Size</span>
      <Select
        label="Size"
        options={SIZES}
        value={String(preset.scale)}
        onPick={(scale) => change({ scale: Number(scale) })}
      />
      {preset.items.some((item) => item.form.startsWith("exr")) && (
        <>
          <span>EXR</span>
          <Select
            label="EXR compression"
            options={[
              { value: "zip", label: "ZIP, exact" },
              { value: "dwaa", label: "DWAA, smaller" },
            ]}
            value={preset.compression}
            onPick={(compression) => change({ compression: compression as Preset["compression"] })}
          />
        </>
      )}
    </div>
  );
}

/** How much it is, and what it will take as far as that is known. */
function told({ count, frames, estimate }: Preview): string {
  const what = `${count} files, ${frames} frames`;
  if (!estimate) return what;
  const { seconds } = estimate;
  const time = seconds < 90 ? `${Math.max(Math.round(seconds), 1)} s` : `${Math.round(seconds / 60)} min`;
  return `${what}, about ${bytesText(estimate.bytes)} and ${time}`;
}

function Rendered({ id }: { id: string }) {
  const jobs = useJobs(id).data?.filter((job) => job.kind === "deliver") ?? [];
  return (
    <>
      <h2 className="mt-6 mb-2 font-semibold">Rendered</h2>
      {jobs.length === 0 && <p className="text-ink-soft">Nothing has been rendered yet.</p>}
      {jobs.map((job) => (
        <Delivery key={job.id} job={job} />
      ))}
    </>
  );
}

function Delivery({ job }: { job: Job }) {
  const remove = () =>
    api.DELETE("/api/deliveries/{job_id}", { params: { path: { job_id: job.id } } }).catch(say);
  return (
    <div
      className="mb-2 flex items-center gap-4 rounded-md border border-line bg-cloth-raised px-4 py-2.5"
      data-testid="delivery"
    >
      <div className="min-w-0 flex-1">
        <p className="truncate">{job.title.replace(/^Rendering /, "")}</p>
        {goingOn(job) ? (
          <>
            <p className="text-ink-soft">
              {job.total ? `Frame ${job.done} of ${job.total}` : "Waiting to begin"}
            </p>
            <Progress share={job.total ? job.done / job.total : 0} label={job.title} />
          </>
        ) : (
          <p className={job.state === "failed" ? "text-brick" : "text-ink-soft"}>{job.message}</p>
        )}
      </div>
      {goingOn(job) && <Button onClick={() => cancelJob(job.id)}>Cancel</Button>}
      {job.state === "done" && (
        <a
          className="inline-flex h-8 items-center gap-1.5 rounded-md border border-line px-3 font-medium hover:border-ink-soft"
          href={`/api/deliveries/${job.id}.zip`}
          download
        >
          <Download size={16} /> Fetch zip
        </a>
      )}
      {!goingOn(job) && (
        <IconButton label="Delete delivery" className="size-8 text-ink-soft" onClick={() => void remove()}>
          <Trash2 size={16} />
        </IconButton>
      )}
    </div>
  );
}
