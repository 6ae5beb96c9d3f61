import { useState } from "react";

import type { Range } from "../state/slices/tools";
import { Pause, Play, Repeat } from "lucide-react";
import { goTo, setBench, useBench, useFrame, useSettled } from "../state/bench";
import { useWorksAhead } from "../state/ahead";
import { useDoubts } from "./doubts";
import { lastFrame, rateText, timeText } from "../state/plate";
import { Button, Choice, IconButton } from "../ui/Button";
import { goToWorst } from "../commands/choosing";
import { pickReach, REACHES } from "../commands/reach";
import { Settled } from "../state/types";
import { NumberField } from "../ui/NumberField";

/** Play, loop, and how far edits go. */
export function Transport() {
  const b = useSettled();
  const frame = useFrame();
  const loop = useBench((now) => now.loop);
  const playing = useBench((now) => now.playing);
  const { plate } = b.shot!;
  const first = plate.first;
  const last = lastFrame(plate);
  const setEnd = (end: 0 | 1) => {
    const next: [number, number] = loop ? [...loop] : [first, last];
    next[end] = frame;
    if (next[0] >= next[1]) next[end === 0 ? 1 : 0] = end === 0 ? last : first;
    setBench({ loop: next });
  };
  return (
    <div className="flex h-9 items-center gap-2 px-3">
      <IconButton
        label={playing ? "Pause" : "Play"}
        shortcut="Space"
        className="size-8"
        onClick={() => setBench({ playing: !playing })}
      >
        {playing ? <Pause size={17} fill="currentColor" /> : <Play size={17} fill="currentColor" />}
      </IconButton>
      <FrameNumber frame={frame} first={first} last={last} />
      <span className="w-24 text-ink-soft">{timeText(plate, frame)}</span>
      <span className="rounded-md bg-cloth-sunk px-2 py-0.5 text-[13px]">
        {first} to {last}, {rateText(plate.rate_num, plate.rate_den)} f/s
      </span>
      <Button look="quiet" small title="Loop from this frame on" onClick={() => setEnd(0)}>
        Loop from here
      </Button>
      <Button look="quiet" small title="Loop up to this frame" onClick={() => setEnd(1)}>
        to here
      </Button>
      {loop && (
        <Button
          look="quiet"
          small
          className="text-teal"
          title="Loop the whole plate"
          onClick={() => setBench({ loop: null })}
        >
          <Repeat size={15} /> {loop[0]} to {loop[1]}
        </Button>
      )}
      <span className="ml-auto" />
      <ToLookAt b={b} />
      <Button
        look="quiet"
        small
        aria-pressed={b.onion}
        className={b.onion ? "text-teal" : "text-ink-soft"}
        title="Show the shapes of the keys before and after, faint  (O)"
        onClick={() => setBench({ onion: !b.onion })}
      >
        Onion skin
      </Button>
      <span className="pl-2 text-ink-soft">Reach</span>
      <Choice options={REACHES} value={b.reach} onPick={pickReach} />
      {b.reach === "range" && b.range && <RangeFields b={b} range={b.range} />}
    </div>
  );
}

/** How many frames need a look; a press goes to the worst of them, and again to the next. */
function ToLookAt({ b }: { b: Settled }) {
  const found = useDoubts(b).length;
  const ahead = useWorksAhead();
  const left = b.review?.left ?? 0;
  if (found === 0) return null;
  return (
    <Button
      look="quiet"
      small
      data-testid="to-look-at"
      aria-busy={left > 0 && ahead}
      title="Go to the frame that needs a look most; again to the next  (W, back by Shift+W)"
      onClick={() => goToWorst(1)}
    >
      <span className="size-[7px] rounded-full bg-marigold" /> {found} to look at
      {left > 0 && ahead && " so far"}
    </Button>
  );
}

/** The frame that is looked at; it can be typed. */
function FrameNumber({ frame, first, last }: { frame: number; first: number; last: number }) {
  const [typed, setTyped] = useState<string | null>(null);
  const go = () => {
    const wanted = Number(typed);
    if (typed?.trim() && Number.isFinite(wanted)) {
      setBench({ playing: false });
      goTo(Math.min(Math.max(Math.round(wanted), first), last));
    }
    setTyped(null);
  };
  return (
    <b className="relative w-14 text-[16px]" data-testid="frame">
      <span className={typed === null ? "" : typed === "" ? "opacity-40" : "opacity-0"}>{frame}</span>
      <input
        aria-label="Go to frame"
        title="Type a frame to go to"
        inputMode="numeric"
        className={`absolute inset-0 w-full rounded-md bg-transparent px-0.5 font-semibold outline-none hover:bg-cloth-sunk focus:bg-cloth-raised ${typed === null ? "text-transparent" : ""}`}
        value={typed ?? ""}
        onFocus={() => setTyped("")}
        onChange={(event) => setTyped(event.target.value)}
        onBlur={() => typed !== null && go()}
        onKeyDown={(event) => {
          event.stopPropagation();
          if (event.key === "Enter") event.currentTarget.blur();
          if (event.key === "Escape") setTyped(null);
        }}
      />
    </b>
  );
}

function RangeFields({ b, range }: { b: Settled; range: Range }) {
  const first = b.shot!.plate.first;
  const last = lastFrame(b.shot!.plate);
  const set = (change: Partial<Range>) => setBench({ range: { ...range, ...change } });
  return (
    <>
      <NumberField
        label="Range from"
        caption=""
        narrow
        value={range.first}
        min={first}
        max={range.last}
        onCommit={(from) => set({ first: from })}
      />
      <NumberField
        label="Range to"
        caption="to"
        narrow
        value={range.last}
        min={range.first}
        max={last}
        onCommit={(to) => set({ last: to })}
      />
      <NumberField
        label="Soft frames"
        caption="soft"
        narrow
        value={range.soft}
        min={0}
        max={500}
        onCommit={(soft) => set({ soft })}
      />
    </>
  );
}
