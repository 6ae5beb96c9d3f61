import { useQueryClient } from "@tanstack/react-query";
import { useEffect } from "react";

import type { Doubt, Job, Run, SolvedFrame } from "./client";

export type Notice =
  | { topic: "hello" }
  /** Some notices have been missed. */
  | { topic: "gap" }
  | ({ topic: "job" } & Job)
  | { topic: "shot"; shot: string; revision: number; by?: string }
  | { topic: "motion"; shot: string; carrier: string; places: SolvedFrame[]; doubts: Doubt[]; runs: Run[] }
  | { topic: "gone"; job: string; shot: string | null }
  | { topic: "shots" }
  | { topic: "notes"; shot: string }
  | { topic: "clips"; shot: string };

const listeners = new Set<(notice: Notice) => void>();

/** Be told of every notice of the server while mounted. */
export function useNotice(listener: (notice: Notice) => void) {
  useEffect(() => {
    listeners.add(listener);
    return () => void listeners.delete(listener);
  }, [listener]);
}

/** One stream of notices for the whole page; keeps the cached lists fresh. */
export function useEvents() {
  const queries = useQueryClient();
  useEffect(() => {
    const stream = new EventSource("/api/events");
    stream.onmessage = (event: MessageEvent<string>) => {
      const notice = JSON.parse(event.data) as Notice;
      if (notice.topic === "hello") void queries.invalidateQueries({ queryKey: ["jobs"] });
      if (notice.topic === "gap")
        for (const list of ["jobs", "shots", "intakes", "clips"])
          void queries.invalidateQueries({ queryKey: [list] });
      if (notice.topic === "job") {
        queries.setQueriesData<Job[]>({ queryKey: ["jobs"] }, (old) => merged(old, notice));
        if (notice.state !== "running") void queries.invalidateQueries({ queryKey: ["intakes"] });
      }
      if (notice.topic === "gone")
        queries.setQueriesData<Job[]>({ queryKey: ["jobs"] }, (old) =>
          old?.filter((j) => j.id !== notice.job),
        );
      if (notice.topic === "gone" || notice.topic === "shots" || notice.topic === "shot")
        void queries.invalidateQueries({ queryKey: ["shots"] });
      if (notice.topic === "clips") void queries.invalidateQueries({ queryKey: ["clips", notice.shot] });
      listeners.forEach((listener) => listener(notice));
    };
    return () => stream.close();
  }, [queries]);
}

function merged(old: Job[] | undefined, job: Job): Job[] {
  if (!old) return [job];
  const known = old.some((o) => o.id === job.id);
  return known ? old.map((o) => (o.id === job.id ? job : o)) : [job, ...old];
}
