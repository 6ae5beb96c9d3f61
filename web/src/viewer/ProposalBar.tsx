import type { ReactNode } from "react";

import { DifferingChoices } from "./Differing";
import { Button } from "../ui/Button";
import { useBench } from "../state/bench";
import { dropProposal, keepProposal, proposeThinning, turnFrame } from "../commands/proposals";
import { proposeMissed } from "../commands/reviewing";
import { marksHere } from "../state/slices/review";
import { turnStarter } from "../commands/starting";
import { fits } from "../commands/trace";

/** What is proposed over the picture, and what can be done with it. */
export function ProposalBar() {
  const proposal = useBench((b) => b.proposal);
  const fitting = useBench((b) => b.fitting);
  const frame = useBench((b) => b.frame);
  const starting = useBench((b) => b.starting);
  if (!proposal && !fitting && !starting) return <MissedBar />;
  if (proposal?.kind === "differing")
    return (
      <Bar testId="proposal">
        <DifferingChoices />
      </Bar>
    );
  const proposed = proposal && (proposal.shapes[frame] ?? null);
  return (
    <Bar testId="proposal">
      {fitting && (
        <>
          <b>{fitting.points.length} points</b>
          <Closeness
            value={fitting.tolerance}
            label="Tolerance of the outline"
            onPick={(tolerance) => void fits.show(fitting.line, tolerance)}
          />
        </>
      )}
      {starting && (
        <>
          <span className="whitespace-nowrap text-ink-soft">Begin with</span>
          {starting.starters.map((s, i) => (
            <Button
              key={i}
              small
              look="quiet"
              aria-pressed={starting.kept.has(i)}
              className={starting.kept.has(i) ? "bg-teal-soft text-teal" : "text-ink-soft"}
              title={starting.kept.has(i) ? "Leave it out" : "Take it in"}
              onClick={() => turnStarter(i)}
            >
              {s.name}
            </Button>
          ))}
        </>
      )}
      {proposal && <span className="w-max max-w-[420px] leading-[18px]">{proposal.text}</span>}
      {proposal?.kind === "thin" && (
        <Closeness
          value={proposal.tolerance!}
          label="Tolerance of the animation"
          onPick={(tolerance) => void proposeThinning(tolerance)}
        />
      )}
      {proposal?.kind === "carry" && proposed && (
        <>
          <span className="whitespace-nowrap text-ink-soft">
            {Math.round((proposal.sure[frame] ?? 0) * 100)} % sure here
          </span>
          <Button
            small
            look="quiet"
            title="Leave this frame out, or take it in"
            onClick={() => turnFrame(frame)}
          >
            {proposal.kept.has(frame) ? `Leave out ${frame}` : `Take in ${frame}`}
          </Button>
        </>
      )}
      <Button small look="main" title="Keep it  (Enter)" onClick={() => void keepProposal()}>
        Keep
      </Button>
      <Button small look="quiet" title="Drop it; nothing was changed  (Escape)" onClick={dropProposal}>
        Drop
      </Button>
    </Bar>
  );
}

/** A bar over the picture. */
function Bar({ testId, children }: { testId: string; children: ReactNode }) {
  return (
    <div
      className="absolute top-2.5 left-1/2 z-10 flex max-w-[94%] -translate-x-1/2 items-center gap-2 rounded-md border border-line bg-cloth py-1 pr-1 pl-3 shadow-md"
      role="status"
      data-testid={testId}
      onPointerDown={(event) => event.stopPropagation()}
    >
      {children}
    </div>
  );
}

/** What was found to be missed on this frame, or held out too much, with a way to put it right. */
function MissedBar() {
  const marks = useBench(marksHere);
  const resting = useBench((b) => !b.playing && !b.drag && !b.draft);
  if (!marks?.holes.length || !resting) return null;
  const open = marks.holes.filter((h) => h.what === "open").length;
  return (
    <Bar testId="missed">
      <span className="size-[7px] rounded-full bg-marigold" />
      {open > 0 ? (
        <>
          Something is there that nothing holds out
          <Button small title="Begin a cover with what was found; shown first" onClick={proposeMissed}>
            Begin a cover
          </Button>
        </>
      ) : (
        <span className="pr-2">The bare pane is held out here: a cover is too wide</span>
      )}
    </Bar>
  );
}

/** Fewer points or closer, by a slider whose steps are even to the eye. */
function Closeness({ value, label, onPick }: { value: number; label: string; onPick: (v: number) => void }) {
  return (
    <label className="flex items-center gap-2 text-[13px] whitespace-nowrap text-ink-soft">
      closer
      <input
        type="range"
        aria-label={label}
        className="w-28 accent-(--teal)"
        min={Math.log(0.15)}
        max={Math.log(12)}
        step={0.05}
        value={Math.log(value)}
        onChange={(event) => onPick(Math.exp(Number(event.target.value)))}
        onKeyDown={(event) => {
          if (event.key === "Enter") void keepProposal();
          if (event.key === "Escape") dropProposal();
        }}
      />
      fewer
      <span className="w-14 text-ink">{value.toFixed(2)} px</span>
    </label>
  );
}
