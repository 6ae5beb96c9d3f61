import { useRef, useState } from "react";
import { toast } from "sonner";

import { api, data, say, type ShotChange } from "../api/client";
import { catchUp } from "../commands/send";
import { bench } from "../state/bench";
import { Button } from "../ui/Button";
import { TakeIn } from "./clips";
import { Row } from "./Row";

const KINDS = ".svg,.json,.csv,.otio";

async function brought(file: File): Promise<ShotChange> {
  const { shot, frame } = bench();
  return data<ShotChange>(
    api.POST("/api/shots/{shot_id}/import", {
      params: {
        path: { shot_id: shot!.id },
        query: { revision: shot!.revision, name: file.name, frame, edit: crypto.randomUUID() },
      },
      body: file as unknown as string,
      bodySerializer: (body) => body as unknown as BodyInit,
      headers: { "Content-Type": "application/octet-stream" },
    }),
  );
}

/** Outlines, corners and timelines of others, brought in from a file as one change. */
export function BringIn() {
  const chosen = useRef<HTMLInputElement>(null);
  const [busy, setBusy] = useState(false);
  const bring = async (file: File | undefined) => {
    if (!file) return;
    setBusy(true);
    try {
      const change = await brought(file);
      await catchUp(change.revision);
      toast(`Brought in ${file.name}. Undo takes it back.`);
    } catch (error) {
      say(error);
    } finally {
      setBusy(false);
    }
  };
  // The mattes come in as a clip; the cover that is made of it tells of itself.
  const trace = (clip: string) =>
    api
      .POST("/api/shots/{shot_id}/mattes", {
        params: { path: { shot_id: bench().shot!.id } },
        body: { clip },
      })
      .catch(say);
  return (
    <Row label="From a file">
      <Button
        small
        disabled={busy}
        title="SVG, Lottie, COCO, corners as CSV or JSON, a timeline, or another shot file"
        onClick={() => chosen.current!.click()}
      >
        Outlines …
      </Button>
      <TakeIn
        shot={bench().shot!.id}
        label="Mattes …"
        title="A cover made of mattes: numbered pictures or a movie, of the plate's size"
        testId="mattes-files"
        onTaken={(clip) => void trace(clip)}
      />
      <input
        ref={chosen}
        type="file"
        accept={KINDS}
        className="hidden"
        aria-label="File to bring in"
        data-testid="bring-in"
        onChange={(event) => {
          void bring(event.target.files?.[0]);
          event.target.value = "";
        }}
      />
    </Row>
  );
}
