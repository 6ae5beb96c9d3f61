import { useQuery, useQueryClient } from "@tanstack/react-query";
import { useCallback } from "react";
import { useLocation } from "wouter";

import { api, data, say, type Correction, type Intake } from "../api/client";
import { useNotice, type Notice } from "../api/events";
import { Button } from "../ui/Button";
import { PageHeader } from "../ui/PageHeader";
import { Progress } from "../ui/Progress";
import { cancelJob, goingOn, useJobs } from "../panels/JobLine";
import { Understanding } from "./Understanding";

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
      <PageHeader title="Intake" />
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
