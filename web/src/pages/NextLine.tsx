import { X } from "lucide-react";
import { useState } from "react";

import type { Lack, Note } from "../api/client";
import { drawRegion, takeTool } from "../commands/tools";
import { goTo, select, useBench, useFrame } from "../state/bench";
import { useNotes } from "../panels/NoteRows";
import { useWorksAhead } from "../state/ahead";
import { neverLooked } from "../state/looked";
import { lastFrame } from "../state/plate";
import { IconButton } from "../ui/Button";

const NAME = (shot: string) => `wiseglove-put-away-${shot}`;

type Next = Pick<Lack, "words" | "about"> & { what: Lack["what"] | "unseen" | "note"; frame?: number };

/** What to say of frames that were never looked at: how many, and the nearest. */
function unseenLine(runs: [number, number][], frame: number): Next[] {
  const count = runs.reduce((sum, [from, to]) => sum + to - from + 1, 0);
  if (!count) return [];
  const ends = runs.flatMap(([from, to]) => [from, to]);
  const nearest = ends.reduce((best, f) => (Math.abs(f - frame) < Math.abs(best - frame) ? f : best));
  const words = `${count} ${count === 1 ? "frame was" : "frames were"} never looked at here. Go to ${nearest}, or play the shot.`;
  return [{ what: "unseen", about: null, words, frame: nearest }];
}

/** An open note: what somebody wants comes before what is missing. */
const noteLine = ({ id, frame, text }: Note): Next => ({ what: "note", about: id, words: text, frame });

/** Do, or begin, what is missing. */
function begin({ what, about, frame }: Next) {
  if (frame !== undefined) goTo(frame);
  if (what === "note") select(null);
  else if (about) select(about);
  if (what === "cover") takeTool("pen");
  if (what === "pane") takeTool("pane");
  if (what === "motion") drawRegion(null, "patch");
}

/** What somebody noted and what the shot still lacks, quietly; a press begins it, and it can be put away. */
export function NextLine({ shot }: { shot: string }) {
  const lacks = useBench((b) => b.review?.lacks);
  const ahead = useWorksAhead();
  const done = useBench((b) => b.review && (b.review.left === 0 || !ahead));
  const plate = useBench((b) => b.shot?.plate);
  const frame = useFrame();
  const [away, setAway] = useState<string[]>(() => JSON.parse(localStorage.getItem(NAME(shot)) ?? "[]"));
  const unseen = done && plate ? neverLooked(shot, plate.first, lastFrame(plate)) : [];
  const notes = (useNotes(shot).data ?? []).filter((n) => !n.done);
  const all: Next[] = [...notes.map(noteLine), ...(lacks ?? []), ...unseenLine(unseen, frame)];
  const next = all.find((l) => !away.includes(`${l.what} ${l.about ?? ""}`));
  if (!next) return null;
  const putAway = () => {
    const more = [...away, `${next.what} ${next.about ?? ""}`];
    localStorage.setItem(NAME(shot), JSON.stringify(more));
    setAway(more);
  };
  return (
    <span className="flex min-w-0 items-center" data-testid="next">
      <button
        type="button"
        className="max-w-[320px] truncate text-[13px] text-ink-soft hover:text-teal hover:underline"
        title={next.words}
        onClick={() => begin(next)}
      >
        {next.words}
      </button>
      <IconButton label="Put this hint away" className="size-6" onClick={putAway}>
        <X size={13} />
      </IconButton>
    </span>
  );
}
