import { useQuery } from "@tanstack/react-query";
import { Download, Trash2 } from "lucide-react";
import { useState } from "react";

import { api, data, say, type Job, type Order, type ShotState } from "../api/client";
import { Button, IconButton } from "../ui/Button";
import { PageHeader } from "../ui/PageHeader";
import { Progress } from "../ui/Progress";
import { cancelJob, goingOn, useJobs } from "../panels/JobLine";

type Preview = { files: string[]; remarks: string[] };

const CHOICES: { name: keyof Order; label: string; about: string }[] = [
  {
    name: "matte",
    label: "Matte sequence",
    about: "8-bit PNG, all shown covers together, numbered like the plate",
  },
  {
    name: "each_cover",
    label: "One matte sequence for each cover and subject",
    about: "8-bit PNG, a folder each",
  },
  {
    name: "subjects",
    label: "Subjects cut out",
    about: "16-bit PNG, their own colours with the matte as alpha",
  },
  { name: "composite", label: "Composite movie", about: "H.264 in mp4, at the plate's rate" },
  { name: "corners", label: "Pane corners", about: "CSV, four corners a frame in plate pixels" },
];

/** What goes out, and the packages that were rendered. */
export function DeliverPage({ id }: { id: string }) {
  const [order, setOrder] = useState<Order>({
    matte: true,
    each_cover: false,
    subjects: false,
    composite: true,
    corners: true,
  });
  const shot = useQuery({
    queryKey: ["shot", id],
    queryFn: () => data<ShotState>(api.GET("/api/shots/{shot_id}", { params: { path: { shot_id: id } } })),
    gcTime: 0,
  });
  const preview = useQuery({
    queryKey: ["delivery", id, order, shot.data?.revision],
    queryFn: () =>
      data<Preview>(
        api.POST("/api/shots/{shot_id}/deliveries/preview", {
          params: { path: { shot_id: id } },
          body: order,
        }),
      ),
    placeholderData: (old) => old,
  });
  const jobs = useJobs(id).data?.filter((job) => job.kind === "deliver") ?? [];
  const render = () =>
    api
      .POST("/api/shots/{shot_id}/deliveries", { params: { path: { shot_id: id } }, body: order })
      .catch(say);
  const settings = shot.data?.elements.settings;
  const name = settings?.kind === "settings" ? settings.name : "";
  return (
    <main className="min-h-full">
      <PageHeader title="Deliver" way={name ? [{ href: `/shots/${id}`, name }] : []} />
      <div className="mx-auto grid max-w-[1080px] grid-cols-[400px_minmax(0,1fr)] gap-12 px-6 py-6">
        {shot.error && <p>{shot.error.message}</p>}
        <section aria-label="What goes out">
          <h2 className="mb-2 font-semibold">What goes out</h2>
          {CHOICES.map((choice) => (
            <label key={choice.name} className="mb-2 flex items-start gap-2.5">
              <input
                type="checkbox"
                className="mt-1 accent-teal"
                checked={Boolean(order[choice.name])}
                onChange={(event) => setOrder({ ...order, [choice.name]: event.target.checked })}
              />
              <span>
                {choice.label}
                <span className="block text-ink-soft">{choice.about}</span>
              </span>
            </label>
          ))}
          {preview.data?.remarks.map((remark) => (
            <p key={remark} className="my-2 border-l-[3px] border-marigold pl-3">
              {remark}
            </p>
          ))}
          <Button
            look="main"
            className="mt-2"
            disabled={!Object.values(order).some(Boolean)}
            onClick={() => void render()}
          >
            Render delivery
          </Button>
        </section>
        <section aria-label="Files">
          <h2 className="mb-2 font-semibold">Files</h2>
          <ul className="rounded-md border border-line bg-cloth-raised px-4 py-2">
            {preview.data?.files.map((file) => (
              <li key={file} className="truncate py-0.5">
                {file}
              </li>
            ))}
          </ul>
          <h2 className="mt-6 mb-2 font-semibold">Rendered</h2>
          {jobs.length === 0 && <p className="text-ink-soft">Nothing has been rendered yet.</p>}
          {jobs.map((job) => (
            <Delivery key={job.id} job={job} />
          ))}
        </section>
      </div>
    </main>
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
