import { Plus, Trash2 } from "lucide-react";

import type { Pane } from "../api/client";
import { setPane, type PaneChange } from "../commands/panes";
import { useBench } from "../state/bench";
import { lastFrame } from "../state/plate";
import { Button, IconButton } from "../ui/Button";
import { NumberField } from "../ui/NumberField";
import { TextField } from "../ui/TextField";
import { clipLabel, useClips } from "./clips";
import { Row } from "./Row";

type Piece = Pane["pieces"][number];
const SOURCES = { solid: "Colour", gradient: "Gradient", chart: "Test chart" } as const;

/** What is shown over a pane's insert for a time, one piece after the other. */
export function PieceRows({ pane }: { pane: Pane }) {
  const shot = useBench((b) => b.shot!);
  const frame = useBench((b) => b.frame);
  const clips = useClips(shot.id);
  const keep = (pieces: Piece[]) => void setPane(pane, { pieces } as PaneChange);
  const change = (id: string, part: Partial<Piece>) =>
    keep(pane.pieces.map((piece) => (piece.id === id ? { ...piece, ...part } : piece)));
  const add = () => {
    const number = pane.pieces.length + 1;
    const id = `piece${crypto.randomUUID().slice(0, 8)}`;
    keep([
      ...pane.pieces,
      { id, name: `Piece ${number}`, source: "solid", first: frame, fade_in: 0 } as Piece,
    ]);
  };
  return (
    <>
      {pane.pieces.map((piece) => (
        <div key={piece.id} className="mb-1 border-b border-line/60 pb-1" data-testid="piece">
          <Row label="Piece">
            <TextField
              label="Name of the piece"
              className="min-w-0 flex-1"
              value={piece.name}
              onCommit={(name) => change(piece.id, { name })}
            />
            <IconButton
              label={`Take away ${piece.name}`}
              className="size-6"
              onClick={() => keep(pane.pieces.filter((p) => p.id !== piece.id))}
            >
              <Trash2 size={13} />
            </IconButton>
          </Row>
          <Row label="Shows">
            <select
              aria-label={`What ${piece.name} shows`}
              className="h-7 w-[120px] rounded-md border border-line bg-cloth-raised px-1"
              value={piece.source === "media" ? piece.media! : piece.source}
              onChange={(event) => {
                const value = event.target.value;
                change(
                  piece.id,
                  value in SOURCES
                    ? { source: value as Piece["source"], media: null }
                    : { source: "media", media: value, start: piece.first },
                );
              }}
            >
              {Object.entries(SOURCES).map(([value, label]) => (
                <option key={value} value={value}>
                  {label}
                </option>
              ))}
              {(clips.data ?? []).map((clip) => (
                <option key={clip.id} value={clip.id}>
                  {clipLabel(clip)}
                </option>
              ))}
            </select>
            {(piece.source === "solid" || piece.source === "gradient") && (
              <input
                type="color"
                aria-label={`Colour of ${piece.name}`}
                className="h-7 w-8 rounded-md border border-line bg-cloth-raised"
                defaultValue={piece.colours[0]}
                onBlur={(event) => change(piece.id, { colours: [event.target.value, piece.colours[1]] })}
              />
            )}
            {piece.source === "media" && (
              <select
                aria-label={`Ends of ${piece.name}`}
                className="h-7 rounded-md border border-line bg-cloth-raised px-1"
                value={piece.ends}
                onChange={(event) => change(piece.id, { ends: event.target.value as Piece["ends"] })}
              >
                <option value="hold">holds</option>
                <option value="loop">loops</option>
                <option value="nothing">ends</option>
              </select>
            )}
          </Row>
          <Row label="There">
            <NumberField
              label={`In of ${piece.name}`}
              caption="in"
              narrow
              value={piece.first ?? shot.plate.first}
              min={shot.plate.first}
              max={piece.last ?? lastFrame(shot.plate)}
              onCommit={(first) => change(piece.id, { first: Math.round(first) })}
            />
            <NumberField
              label={`Out of ${piece.name}`}
              caption="out"
              narrow
              value={piece.last ?? lastFrame(shot.plate)}
              min={piece.first ?? shot.plate.first}
              max={lastFrame(shot.plate)}
              onCommit={(last) => change(piece.id, { last: Math.round(last) })}
            />
          </Row>
          <Row label="Fade">
            {(["in", "out"] as const).map((end) => (
              <NumberField
                key={end}
                label={`Fade ${end} of ${piece.name}`}
                caption={end}
                narrow
                value={piece[`fade_${end}`]}
                min={0}
                max={1000}
                onCommit={(fade) => change(piece.id, { [`fade_${end}`]: Math.round(fade) })}
              />
            ))}
            {piece.source === "media" && (
              <NumberField
                label={`Speed of ${piece.name}`}
                caption="speed"
                narrow
                digits={2}
                step={0.05}
                value={piece.speed}
                min={-20}
                max={20}
                onCommit={(speed) => change(piece.id, { speed })}
              />
            )}
          </Row>
        </div>
      ))}
      <Row label="">
        <Button small title="Something else from this frame on, over what the pane shows" onClick={add}>
          <Plus size={14} /> Piece from here on
        </Button>
      </Row>
    </>
  );
}
