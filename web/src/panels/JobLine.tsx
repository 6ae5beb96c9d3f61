import { useQuery } from "@tanstack/react-query";
import { X } from "lucide-react";

import { api, data, say, type Job } from "../api/client";
import { IconButton } from "../ui/Button";
import { Progress } from "../ui/Progress";

/** Jobs of a shot, newest first, kept fresh by the server's notices. */
export function useJobs(shot?: string) {
  return useQuery({
    queryKey: ["jobs"],
    queryFn: () => data<Job[]>(api.GET("/api/jobs", { params: { query: {} } })),
    select: (jobs) => (shot ? jobs.filter((job) => job.shot === shot) : jobs),
  });
}

/** Stop a job. */
export function cancelJob(job_id: string) {
  api.POST("/api/jobs/{job_id}/cancel", { params: { path: { job_id } } }).catch(say);
}

export const goingOn = (job: Job) => job.state === "queued" || job.state === "running";

/** Of some jobs the one that runs, or is the next to; and how many wait behind it. */
export function underWay(jobs: Job[] | undefined): { job: Job | undefined; waiting: number } {
  const going = (jobs ?? []).filter(goingOn);
  return { job: going.find((j) => j.state === "running") ?? going.at(-1), waiting: going.length - 1 };
}

/** The job that is under way, in one line. */
export function JobLine({ shot }: { shot: string }) {
  const { job, waiting } = underWay(useJobs(shot).data);
  if (!job) return null;
  return (
    <div className="flex w-64 shrink-0 items-center gap-1" data-testid="job">
      <div className="min-w-0 flex-1">
        <p className="truncate text-[13px] leading-4 text-ink-soft">
          {job.title}
          {job.total > 0 && `, ${job.done} of ${job.total}`}
          {waiting > 0 && `; ${waiting} more`}
        </p>
        <Progress share={job.total ? job.done / job.total : 0} label={job.title} />
      </div>
      <IconButton label="Cancel" className="size-7" onClick={() => cancelJob(job.id)}>
        <X size={15} />
      </IconButton>
    </div>
  );
}
