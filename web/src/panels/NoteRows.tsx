import { useQuery, useQueryClient } from "@tanstack/react-query";
import { Trash2 } from "lucide-react";
import { useCallback, useState } from "react";

import { api, data, listed, say, type Note } from "../api/client";
import { useNotice, type Notice } from "../api/events";
import { Button, IconButton } from "../ui/Button";

/** A shot's notes in the order of their frames, kept up with what others write. */
export function useNotes(shot: string) {
  const client = useQueryClient();
  useNotice(
    useCallback(
      (notice: Notice) => {
        if (notice.topic === "notes" || notice.topic === "gap")
          void client.invalidateQueries({ queryKey: ["notes", shot] });
      },
      [client, shot],
    ),
  );
  return useQuery({
    queryKey: ["notes", shot],
    queryFn: () =>
      listed<Note>((query) =>
        api.GET("/api/shots/{shot_id}/notes", { params: { path: { shot_id: shot }, query } }),
      ),
  });
}

/** Notes of a shot, written, gone to and ticked off; `place` is where the next one is pinned on the picture. */
export function NoteRows(props: {
  shot: string;
  frame: number;
  version?: number;
  place: [number, number] | null;
  goTo: (frame: number) => void;
  placed: () => void;
}) {
  const { shot, frame, version, place, goTo, placed } = props;
  const notes = useNotes(shot);
  const client = useQueryClient();
  const [text, setText] = useState("");
  const path = { shot_id: shot };
  const after = (answer: Promise<unknown>) =>
    void answer.then(() => client.invalidateQueries({ queryKey: ["notes", shot] })).catch(say);
  const add = () => {
    const body = { frame, text, x: place?.[0] ?? null, y: place?.[1] ?? null, version: version ?? null };
    after(
      data(api.POST("/api/shots/{shot_id}/notes", { params: { path }, body })).then(() => {
        setText("");
        placed();
      }),
    );
  };
  return (
    <>
      {(notes.data ?? []).map((note) => (
        <div key={note.id} className="mb-1 flex items-start gap-1.5" data-testid="note">
          <input
            type="checkbox"
            className="mt-1"
            aria-label={`Done: ${note.text}`}
            checked={note.done}
            onChange={(event) =>
              after(
                data(
                  api.PATCH("/api/shots/{shot_id}/notes/{note}", {
                    params: { path: { ...path, note: note.id } },
                    body: { done: event.target.checked },
                  }),
                ),
              )
            }
          />
          <button
            type="button"
            className={`min-w-0 flex-1 text-left hover:text-teal ${note.done ? "text-ink-soft line-through" : ""}`}
            onClick={() => goTo(note.frame)}
          >
            <b className="font-semibold tabular-nums">{note.frame}</b> {note.text}
            {note.author && <span className="text-ink-soft"> · {note.author}</span>}
          </button>
          <IconButton
            label={`Take away the note on ${note.frame}`}
            className="size-6"
            onClick={() =>
              after(
                data(
                  api.DELETE("/api/shots/{shot_id}/notes/{note}", {
                    params: { path: { ...path, note: note.id } },
                  }),
                ),
              )
            }
          >
            <Trash2 size={13} />
          </IconButton>
        </div>
      ))}
      <div className="flex gap-1.5">
        <input
          aria-label="New note"
          placeholder={`Note on frame ${frame}${place ? ", pinned" : ""}`}
          className="h-7 min-w-0 flex-1 rounded-md border border-line bg-cloth-raised px-2 outline-none focus:border-teal"
          value={text}
          onChange={(event) => setText(event.target.value)}
          onKeyDown={(event) => {
            event.stopPropagation();
            if (event.key === "Enter" && text.trim()) add();
          }}
        />
        <Button small disabled={!text.trim()} onClick={add}>
          Pin
        </Button>
      </div>
    </>
  );
}
