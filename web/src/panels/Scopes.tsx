import type { Pane } from "../api/client";
import { useBench } from "../state/bench";

/** Waveform and histogram inside a pane: of the plate on the left, of the composite on the right. */
export function Scopes({ pane }: { pane: Pane }) {
  const shot = useBench((b) => b.shot!);
  const frame = useBench((b) => b.frame);
  const playing = useBench((b) => b.playing);
  if (playing) return <p className="text-[13px] text-ink-soft">Shown while nothing plays.</p>;
  return (
    <figure>
      <img
        alt="Levels of plate and composite inside the pane"
        className="w-full rounded-md"
        src={`/api/shots/${shot.id}/panes/${pane.id}/scopes/${frame}.png?v=${shot.revision}`}
      />
      <figcaption className="flex justify-between text-[13px] text-ink-soft">
        <span>Plate</span>
        <span>Composite</span>
      </figcaption>
    </figure>
  );
}
