import { useState } from "react";

import { bounds } from "../api/bounds";
import type { Cover, Outline, PointKind } from "../api/client";
import { Button, Choice } from "../ui/Button";
import { NumberField } from "../ui/NumberField";
import { Section } from "../ui/Section";
import { Slider } from "../ui/Slider";
import { lastFrame } from "../state/plate";
import { setBench, useBench, useFrame } from "../state/bench";
import { restingShape } from "../state/lookups";
import { pasteInto } from "../commands/clipboard";
import { FitHere } from "./FitHere";
import { EaseRow, KeyRow } from "./KeyRows";
import { MakeBehind, useCleanPlate } from "./clips";
import { proposeCarry, proposeSnap, proposeThinning } from "../commands/proposals";
import { PlaceRows, Roundness, SoftRow } from "./PointRows";
import { Row } from "./Row";
import { send } from "../commands/send";
import { Settled } from "../state/types";

const KINDS: { value: PointKind; label: string; title: string }[] = [
  { value: "corner", label: "Corner", title: "No handles" },
  { value: "smooth", label: "Smooth", title: "Handles in line" },
  { value: "free", label: "Free", title: "Handles each by itself" },
];

const MODES: { value: "adds" | "cuts" | "limits"; label: string; title: string }[] = [
  { value: "adds", label: "Adds", title: "Its area is part of the cover" },
  { value: "cuts", label: "Cuts", title: "Its area is taken out of the cover" },
  { value: "limits", label: "Limits", title: "Only what lies within it stays" },
];

/** What an outline, and the points that are chosen of it, can be made to be. */
export function OutlineDetails({ b, cover, outline }: { b: Settled; cover: Cover; outline: Outline }) {
  const frame = useFrame();
  const chosen = [...b.points].filter((i) => i < outline.kinds.length);
  const kinds = new Set(chosen.map((i) => outline.kinds[i]!));
  const shape = restingShape(b, outline.id, frame);
  const several = cover.outlines.length > 1;
  const draw = (mode: "adds" | "cuts" | "limits") =>
    setBench({ tool: "pen", draft: null, into: { cover: cover.id, mode } });
  const set = (change: Partial<Outline>) =>
    void send({ type: "set-outline", outline: outline.id, ...change });
  return (
    <>
      <Section title="Shape">
        <Row label={chosen.length ? `${chosen.length} chosen` : "Points"}>
          {chosen.length > 0 ? (
            <Choice
              options={KINDS}
              value={kinds.size === 1 ? [...kinds][0]! : null}
              onPick={(kind) =>
                void send({ type: "set-point-kind", outline: outline.id, indices: chosen, kind })
              }
            />
          ) : (
            <span className="pr-2">{outline.kinds.length}</span>
          )}
        </Row>
        <Row label="">
          <Button
            small
            title="Move the chosen stretch, or all, to the edge in the plate; shown first  (J)"
            onClick={() => void proposeSnap()}
          >
            Snap to edge
          </Button>
        </Row>
        {chosen.length > 0 && kinds.size === 1 && kinds.has("smooth") && (
          <Roundness outline={outline} chosen={chosen} shape={shape} />
        )}
        {shape && <PlaceRows b={b} outline={outline} shape={shape} chosen={chosen} />}
        {shape && <SoftRow outline={outline} shape={shape} chosen={chosen} />}
      </Section>
      <Section title="Keys">
        <KeyRow b={b} element={outline.id} />
        <EaseRow b={b} element={outline.id} />
        <WayRound outline={outline} />
        <CarryRow />
      </Section>
      <FitHere b={b} outline={outline} />
      <Section title="Parts">
        {several && (
          <>
            <Row label="Acts">
              <Choice options={MODES} value={outline.mode} onPick={(mode) => set({ mode })} />
            </Row>
            <SpanRows b={b} outline={outline} set={set} />
          </>
        )}
        <Row label="Draw">
          <Button small onClick={() => draw("adds")} title="Draw a further outline that adds to this cover">
            Add a part
          </Button>
          <Button small onClick={() => draw("cuts")} title="Draw an outline that cuts a hole into this cover">
            Cut a hole
          </Button>
          <Button small onClick={() => draw("limits")} title="Draw an outline that this cover stays within">
            Limit
          </Button>
          <Button
            small
            title="Paste what was copied as a part of this cover"
            onClick={() => void pasteInto(cover.id)}
          >
            Paste here
          </Button>
        </Row>
        <Row label="Mirror">
          <Button
            small
            title="Left to right, about the pivot, on all keys"
            onClick={() => void send({ type: "mirror", outline: outline.id })}
          >
            Across
          </Button>
          <Button
            small
            title="Top to bottom, about the pivot, on all keys"
            onClick={() => void send({ type: "mirror", outline: outline.id, across: true })}
          >
            Upside down
          </Button>
        </Row>
        {outline.pivot && (
          <Row label="Pivot">
            <Button
              small
              title="Turn about the centre between keys again"
              onClick={() => set({ pivot: null })}
            >
              Back to the centre
            </Button>
          </Row>
        )}
        {several && (
          <Row label="">
            <Button look="brick" small onClick={() => void send({ type: "delete", element: outline.id })}>
              Delete this outline
            </Button>
          </Row>
        )}
      </Section>
    </>
  );
}

/** By how many whole turns, on top of the shorter way round, the stretch here goes. */
function WayRound({ outline }: { outline: Outline }) {
  const frame = useFrame();
  const key = outline.keys.filter((k) => k.frame <= frame).at(-1);
  if (!key || key === outline.keys.at(-1)) return null;
  const turn = (turns: number) =>
    void send({ type: "turn-keys", outline: outline.id, frame: key.frame, turns });
  const turns = key.turns;
  return (
    <Row label="Way round">
      <Button small title="One whole turn less on the way to the next key" onClick={() => turn(turns - 1)}>
        −1
      </Button>
      <span className="text-[13px]">
        {turns === 0 ? "the shorter one" : `${turns > 0 ? "+" : ""}${turns} turns`}
      </span>
      <Button small title="One whole turn more on the way to the next key" onClick={() => turn(turns + 1)}>
        +1
      </Button>
    </Row>
  );
}

/** What follows the picture over frames, and what takes keys out again: proposals that are kept or dropped. */
function CarryRow() {
  const [frames, setFrames] = useState(10);
  const shot = useBench((b) => b.shot!.id);
  const known = useCleanPlate(shot);
  const [doubt, setDoubt] = useState(0.6);
  return (
    <>
      <Row label="Carry on">
        <Button
          small
          title="Follow the picture backwards; shown first"
          onClick={() => void proposeCarry(-frames, doubt)}
        >
          Back
        </Button>
        <NumberField
          label="Frames to carry on"
          caption=""
          unit="fr"
          narrow
          value={frames}
          min={1}
          max={60}
          onCommit={setFrames}
        />
        <Button
          small
          title="Follow the picture onwards; shown first"
          onClick={() => void proposeCarry(frames, doubt)}
        >
          On
        </Button>
      </Row>
      <Row label="Up to doubt">
        <Slider
          label="Share of the outline that may be in doubt before it ends"
          unit="%"
          digits={0}
          value={100 * doubt}
          min={0}
          max={100}
          step={5}
          onTry={() => undefined}
          onCommit={(percent) => setDoubt(percent / 100)}
        />
      </Row>
      <Row label="Behind">
        <MakeBehind
          shot={shot}
          label={known ? "Make it anew" : "Make the clean plate"}
          title="Where the camera stands: the plate without what passes, from all frames"
        />
        {known && <span className="text-[13px] text-ink-soft">known</span>}
      </Row>
      <Row label="">
        <Button
          small
          title="Keep only the keys that are needed; shown first"
          onClick={() => void proposeThinning(0.5)}
        >
          Thin out
        </Button>
      </Row>
    </>
  );
}

/** An outline's own in, out and fades. */
function SpanRows({
  b,
  outline,
  set,
}: {
  b: Settled;
  outline: Outline;
  set: (change: Partial<Outline>) => void;
}) {
  const { plate } = b.shot!;
  const first = plate.first;
  const last = lastFrame(plate);
  return (
    <>
      <Row label="Part there">
        <NumberField
          label="Outline in"
          narrow
          value={outline.first ?? first}
          min={first}
          max={outline.last ?? last}
          onCommit={(frame) => set({ first: frame })}
        />
        <NumberField
          label="Outline out"
          narrow
          value={outline.last ?? last}
          min={outline.first ?? first}
          max={last}
          onCommit={(frame) => set({ last: frame })}
        />
      </Row>
      <Row label="Part fades">
        <NumberField
          label="Outline fade in"
          caption="in"
          unit="fr"
          narrow
          value={outline.fade_in}
          {...bounds.Outline.fade_in}
          onCommit={(fade_in) => set({ fade_in })}
        />
        <NumberField
          label="Outline fade out"
          caption="out"
          unit="fr"
          narrow
          value={outline.fade_out}
          {...bounds.Outline.fade_out}
          onCommit={(fade_out) => set({ fade_out })}
        />
      </Row>
    </>
  );
}
