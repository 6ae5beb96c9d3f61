import { useCallback } from "react";

import { api, data, type ClipCard } from "../api/client";
import { Button } from "../ui/Button";
import { Select } from "../ui/Select";
import { bench } from "../state/bench";
import { clipLabel, HoldOutDiffering, TakeIn, useClips } from "./clips";
import { Row } from "./Row";
import { make } from "../commands/send";
import { Settled } from "../state/types";
import { takeTool } from "../commands/tools";

/** Put a clip over the plate as a subject, as large as the frame takes it. */
async function put(shot: string, clip: string) {
  const clips = await data<ClipCard[]>(
    api.GET("/api/shots/{shot_id}/clips", { params: { path: { shot_id: shot } } }),
  );
  const info = clips.find((c) => c.id === clip)?.info;
  if (!info) return;
  const { frame } = bench();
  await make({
    type: "add-subject",
    frame,
    clip,
    size: [info.width, info.height],
    name: info.name.slice(0, 80),
  });
}

/** Ways to a new subject: key the plate itself, or bring in a clip that was shot before a backing. */
export function NewSubject({ b }: { b: Settled }) {
  const shot = b.shot!.id;
  const clips = useClips(shot);
  const taken = useCallback((clip: string) => void put(shot, clip), [shot]);
  const others = (clips.data ?? []).map((c) => ({ value: c.id, label: clipLabel(c) }));
  return (
    <Row label="Subjects">
      <Button small title="Drag over the plate's backing  (Y)" onClick={() => takeTool("sample")}>
        Key the plate
      </Button>
      <HoldOutDiffering shot={shot} pane={null} label="What passes" />
      <TakeIn shot={shot} label="Clip to key …" testId="subject-files" onTaken={taken} />
      {others.length > 0 && (
        <Select
          label="Key a clip of this shot"
          options={[{ value: "", label: "A clip of this shot …" }, ...others]}
          value=""
          onPick={(clip) => clip && taken(clip)}
        />
      )}
    </Row>
  );
}
