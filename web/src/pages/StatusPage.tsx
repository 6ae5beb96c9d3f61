import { useQuery } from "@tanstack/react-query";
import { CircleAlert, CircleCheck } from "lucide-react";

import { api, data, type Health } from "../api/client";
import { PageHeader } from "../ui/PageHeader";
import { bytesText } from "../ui/bytes";

/** How the server is: what works, what waits, and how much room there is. */
export function StatusPage() {
  const health = useQuery({
    queryKey: ["health"],
    queryFn: () => data<Health>(api.GET("/api/health")),
    refetchInterval: 5000,
  });
  const state = health.data;
  return (
    <main className="min-h-full">
      <PageHeader title="Server" />
      <div className="mx-auto w-full max-w-[680px] px-6 py-8">
        {health.error && <p className="text-brick">{health.error.message}</p>}
        {state && (
          <>
            <p className="mb-5 flex items-center gap-2 text-[15px]" role="status">
              {state.well ? (
                <CircleCheck size={18} className="text-teal" />
              ) : (
                <CircleAlert size={18} className="text-brick" />
              )}
              {state.well ? "All is well." : state.words[0]}
            </p>
            {state.words.slice(1).map((word) => (
              <p key={word} className="mb-3 text-brick">
                {word}
              </p>
            ))}
            <dl className="grid grid-cols-[180px_1fr] gap-y-2">
              <Fact name="Database" value={state.database ? "answers" : "cannot be reached"} />
              <Fact name="Workers" value={state.workers ? String(state.workers) : "none"} />
              {state.machines.map((m) => (
                <Fact
                  key={m.name}
                  name={m.name}
                  value={`${m.queues.join(", ")}; ${m.cores} at once, ${bytesText(m.memory)} of memory; ${m.encoders.join(", ")}`}
                />
              ))}
              <Fact name="Work" value={`${state.running} under way, ${state.waiting} waiting`} />
              <Fact name="Free on its disk" value={bytesText(state.free)} />
            </dl>
          </>
        )}
      </div>
    </main>
  );
}

function Fact({ name, value }: { name: string; value: string }) {
  return (
    <>
      <dt className="text-ink-soft">{name}</dt>
      <dd>{value}</dd>
    </>
  );
}
