import { X } from "lucide-react";
import { useState } from "react";

import type { Lack } from "../api/client";
import { drawRegion, takeTool } from "../commands/tools";
import { select, useBench } from "../state/bench";
import { IconButton } from "../ui/Button";

const NAME = (shot: string) => `wiseglove-put-away-${shot}`;

/** Do, or begin, what is missing. */
function begin({ what, about }: Lack) {
  if (about) select(about);
  if (what === "cover") takeTool("pen");
  if (what === "pane") takeTool("pane");
  if (what === "motion") drawRegion(null, "patch");
}

/** What the shot still lacks, quietly; a press begins it, and it can be put away. */
export function NextLine({ shot }: { shot: string }) {
  const lacks = useBench((b) => b.review?.lacks);
  const [away, setAway] = useState<string[]>(() => JSON.parse(localStorage.getItem(NAME(shot)) ?? "[]"));
  const next = lacks?.find((l) => !away.includes(`${l.what} ${l.about ?? ""}`));
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
