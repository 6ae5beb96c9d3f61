import { useMutation, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";

import { api, data, say, type ShotChange, type Version } from "../api/client";
import { catchUp } from "../commands/send";
import { bench } from "../state/bench";
import { reviewOf, useVersions } from "../state/versions";
import type { Settled } from "../state/types";
import { Button } from "../ui/Button";
import { TextField } from "../ui/TextField";
import { Row } from "./Row";

/** Versions of a shot: made, looked at, and gone back to. */
export function VersionRows({ b }: { b: Settled }) {
  const shot = b.shot!.id;
  const versions = useVersions(shot);
  const client = useQueryClient();
  const [name, setName] = useState("");
  const make = useMutation({
    mutationFn: () =>
      data<Version>(
        api.POST("/api/shots/{shot_id}/versions", {
          params: { path: { shot_id: shot } },
          body: { name, comment: "", frame: bench().frame },
        }),
      ),
    onSuccess: () => {
      setName("");
      return client.invalidateQueries({ queryKey: ["versions", shot] });
    },
    onError: say,
  });
  const restore = (number: number) =>
    data<ShotChange>(
      api.POST("/api/shots/{shot_id}/versions/{number}/restore", {
        params: { path: { shot_id: shot, number } },
        body: { revision: bench().shot!.revision, id: crypto.randomUUID() },
      }),
    )
      .then((change) => catchUp(change.revision))
      .catch(say);
  return (
    <>
      <Row label="Keep it">
        <TextField label="Name of the version" className="min-w-0 flex-1" value={name} onCommit={setName} />
        <Button
          small
          disabled={make.isPending}
          title="Keep the shot as it is now, for good"
          onClick={() => make.mutate()}
        >
          Keep
        </Button>
      </Row>
      {(versions.data ?? []).map((version) => (
        <div
          key={version.number}
          className="mb-1 flex items-center gap-2"
          data-testid={`version-${version.label}`}
        >
          <img
            alt=""
            className="h-9 w-16 shrink-0 rounded-sm object-cover"
            src={`/api/shots/${shot}/versions/${version.number}/looks/composite/${version.frame}`}
          />
          <span className="min-w-0 flex-1 truncate" title={version.comment || version.name}>
            <b className="font-semibold">{version.label}</b> {version.name !== version.label && version.name}
          </span>
          <a
            className="rounded-md px-1.5 py-0.5 text-teal hover:bg-cloth-sunk"
            title="Look at it on a page of its own; its address can be passed on"
            href={reviewOf(shot, version.number)}
          >
            Look
          </a>
          <Button
            small
            look="quiet"
            title="Go back to it; this can be undone"
            onClick={() => void restore(version.number)}
          >
            Restore
          </Button>
        </div>
      ))}
    </>
  );
}
