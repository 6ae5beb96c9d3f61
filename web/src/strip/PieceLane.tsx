import { useDrag } from "@use-gesture/react";
import { useState, type KeyboardEvent } from "react";

import type { Pane } from "../api/client";
import { setPane, type PaneChange } from "../commands/panes";
import { select } from "../state/bench";
import { BY_POINTER } from "../ui/pointer";
import { edgeX, LANE, type Scale } from "./scale";

type Piece = Pane["pieces"][number];
type Part = "whole" | "first" | "last" | "fade_in" | "fade_out";

const lastOf = (s: Scale) => s.first + s.count - 1;
const held = (value: number, low: number, high: number) => Math.min(Math.max(value, low), high);
const spanOf = (piece: Piece, scale: Scale) =>
  [piece.first ?? scale.first, piece.last ?? lastOf(scale)] as const;

/** A piece after its block (or an end of it, or of its fade) was moved by frames. */
function movedBy(piece: Piece, part: Part, by: number, scale: Scale): Piece {
  const [first, last] = spanOf(piece, scale);
  if (part === "first") return { ...piece, first: held(first + by, scale.first, last) };
  if (part === "last") return { ...piece, last: held(last + by, first, lastOf(scale)) };
  if (part === "fade_in") return { ...piece, fade_in: held(piece.fade_in + by, 0, last - first) };
  if (part === "fade_out") return { ...piece, fade_out: held(piece.fade_out - by, 0, last - first) };
  const within = held(by, scale.first - first, lastOf(scale) - last);
  const start = piece.source === "media" ? { start: (piece.start ?? first) + within } : {};
  return { ...piece, ...start, first: first + within, last: last + within };
}

/** What a pane shows for a time, as blocks on a lane: dragged, trimmed at their ends, and faded by their upper corners. */
export function PieceLane({ pane, scale }: { pane: Pane; scale: Scale }) {
  return (
    <div
      className="relative touch-none"
      style={{ height: LANE }}
      data-testid={`pieces-${pane.name}`}
      role="group"
      aria-label={`Pieces of ${pane.name}`}
    >
      <span className="absolute inset-x-0 top-[11px] h-px bg-line" />
      {pane.pieces.map((piece) => (
        <Block key={piece.id} pane={pane} piece={piece} scale={scale} />
      ))}
    </div>
  );
}

function Block({ pane, piece, scale }: { pane: Pane; piece: Piece; scale: Scale }) {
  const [dragged, setDragged] = useState<Piece | null>(null);
  const keep = (to: Piece) => {
    const same = JSON.stringify(to) === JSON.stringify(piece);
    const pieces = pane.pieces.map((p) => (p.id === piece.id ? to : p));
    return same ? Promise.resolve() : setPane(pane, { pieces } as PaneChange);
  };
  const drag = useDrag<PointerEvent>(
    ({ args: [part], event, last, movement: [dx], first: begins }) => {
      event.stopPropagation();
      if (begins) select(pane.id);
      const to = movedBy(piece, part as Part, Math.round((dx / scale.width) * scale.count), scale);
      setDragged(to);
      if (last) void keep(to).finally(() => setDragged(null));
    },
    { ...BY_POINTER, filterTaps: true },
  );
  const keyed = (event: KeyboardEvent) => {
    const way = event.key === "ArrowLeft" ? -1 : event.key === "ArrowRight" ? 1 : 0;
    if (way === 0) return;
    event.preventDefault();
    event.stopPropagation();
    void keep(movedBy(piece, event.altKey ? "last" : "whole", way * (event.shiftKey ? 10 : 1), scale));
  };
  const shown = dragged ?? piece;
  const [first, last] = spanOf(shown, scale);
  const left = edgeX(scale, first);
  const width = Math.max(edgeX(scale, last + 1) - left, 3);
  const fades = [shown.fade_in, shown.fade_out].map((n) => Math.min((n / scale.count) * scale.width, width));
  const plain = shown.source === "solid" || shown.source === "gradient";
  return (
    <div
      className="absolute top-[2px] bottom-[2px] cursor-grab touch-none rounded-[5px] border border-teal/60 bg-cloth-raised focus-visible:outline-2 focus-visible:outline-teal"
      style={{ left, width }}
      role="button"
      tabIndex={0}
      data-own-arrows
      data-testid={`piece-block-${piece.name}`}
      aria-label={`${piece.name}, ${first} to ${last}. Left and right move it, with Alt its end`}
      title={`${piece.name}, ${first} to ${last}: drag it, or its ends; its upper corners fade it`}
      onKeyDown={keyed}
      {...drag("whole")}
    >
      <svg className="pointer-events-none absolute inset-0 size-full" aria-hidden preserveAspectRatio="none">
        <polygon className="fill-teal/20" points={`0,0 ${fades[0]},0 0,20`} />
        <polygon className="fill-teal/20" points={`${width},0 ${width - fades[1]!},0 ${width},20`} />
      </svg>
      <span className="pointer-events-none absolute inset-x-2 inset-y-0 flex items-center gap-1 overflow-hidden text-[12px] leading-[16px] whitespace-nowrap">
        {plain && (
          <span
            className="inline-block size-2.5 shrink-0 rounded-full border border-line"
            style={{
              background:
                shown.source === "solid"
                  ? shown.colours[0]
                  : `linear-gradient(90deg, ${shown.colours[0]}, ${shown.colours[1]})`,
            }}
          />
        )}
        {piece.name}
      </span>
      {(["first", "last"] as const).map((end) => (
        <span
          key={end}
          aria-hidden
          data-testid={`piece-${end}-${piece.name}`}
          className="absolute inset-y-0 w-[7px] cursor-ew-resize touch-none"
          style={end === "first" ? { left: -2 } : { right: -2 }}
          {...drag(end)}
        />
      ))}
      {(["fade_in", "fade_out"] as const).map((end, k) => (
        <span
          key={end}
          aria-hidden
          data-testid={`piece-${end}-${piece.name}`}
          title={
            end === "fade_in"
              ? `Fades in over ${shown.fade_in} frames`
              : `Fades out over ${shown.fade_out} frames`
          }
          className="absolute -top-[2px] size-[7px] -translate-x-1/2 cursor-ew-resize touch-none rounded-full border border-teal bg-cloth"
          style={{ left: k === 0 ? Math.max(fades[0]!, 9) : Math.min(width - fades[1]!, width - 9) }}
          {...drag(end)}
        />
      ))}
    </div>
  );
}
