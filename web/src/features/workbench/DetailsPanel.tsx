import type { ReactNode } from "react";

import type { Cover, Ease, Edit, Outline, Pane, PointKind } from "../../api/client";
import { Button, Choice } from "../../ui/Button";
import { lastFrame, rateText } from "../../ui/format";
import { NumberField } from "../../ui/NumberField";
import { TextField } from "../../ui/TextField";
import { coverOf, keyFrames, outlineOf, paneOf, select, setBench, useBench, type Bench } from "./bench";
import { InsertChooser } from "./InsertChooser";
import { send } from "./send";

/** What the selected thing needs, most used first. */
export function DetailsPanel() {
  const b = useBench();
  const cover = coverOf(b, b.selected);
  const pane = paneOf(b, b.selected);
  return (
    <section className="min-h-0 flex-1 overflow-y-auto px-3 py-2" aria-label="Details">
      {cover ? (
        <CoverDetails b={b} cover={cover} />
      ) : pane ? (
        <PaneDetails b={b} pane={pane} />
      ) : (
        <ShotDetails b={b} />
      )}
    </section>
  );
}

function Heading({ name, kind }: { name: string; kind: string }) {
  return (
    <h2 className="mb-2 flex justify-between gap-2 font-semibold">
      <span className="truncate">{name}</span> <span className="font-normal text-ink-soft">{kind}</span>
    </h2>
  );
}

function Row({ label, children }: { label: string; children: ReactNode }) {
  return (
    <div className="mb-1.5 grid grid-cols-[84px_minmax(0,1fr)] items-center">
      <span className="text-ink-soft">{label}</span>
      <div className="flex min-w-0 flex-wrap items-center gap-1.5">{children}</div>
    </div>
  );
}

/** Okabe & Ito's colour-blind-safe set. */
const COLOURS = ["#56b4e9", "#e69f00", "#cc79a7", "#009e73", "#f0e442", "#d55e00", "#0072b2"];

function Colours({ value, onPick }: { value: string; onPick: (colour: string) => void }) {
  return COLOURS.map((colour) => (
    <button
      key={colour}
      type="button"
      aria-label={`Colour ${colour}`}
      aria-pressed={colour === value}
      title={`Colour ${colour}`}
      className={`size-[18px] rounded-full border-2 ${colour === value ? "border-ink" : "border-transparent"}`}
      style={{ background: colour }}
      onClick={() => onPick(colour)}
    />
  ));
}

function CoverDetails({ b, cover }: { b: Bench; cover: Cover }) {
  const { plate } = b.shot!;
  const first = plate.first ?? 1001;
  const set = (change: Partial<Cover>) =>
    void send({ type: "set-cover", cover: cover.id, ...change } as Edit);
  const outline = outlineOf(b, b.active);
  return (
    <>
      <Heading name={cover.name} kind="cover" />
      <Row label="Name">
        <TextField label="Name" className="flex-1" value={cover.name} onCommit={(name) => set({ name })} />
      </Row>
      <Row label="Colour">
        <Colours value={cover.colour} onPick={(colour) => set({ colour })} />
      </Row>
      <Row label="There from">
        <NumberField
          label="In"
          narrow
          value={cover.first ?? first}
          min={first}
          max={cover.last ?? lastFrame(plate)}
          onCommit={(frame) => set({ first: frame })}
        />
        <NumberField
          label="Out"
          narrow
          value={cover.last ?? lastFrame(plate)}
          min={cover.first ?? first}
          max={lastFrame(plate)}
          onCommit={(frame) => set({ last: frame })}
        />
      </Row>
      {(cover.outlines ?? []).length > 1 && (
        <Row label="Outlines">
          {(cover.outlines ?? []).map((id, i) => (
            <Button
              key={id}
              look={id === b.active ? "main" : "plain"}
              small
              onClick={() => select(cover.id, id)}
            >
              {i + 1} {outlineOf(b, id)?.mode}
            </Button>
          ))}
        </Row>
      )}
      {outline && <OutlineDetails b={b} cover={cover} outline={outline} />}
    </>
  );
}

const KINDS: { value: PointKind; label: string; title: string }[] = [
  { value: "corner", label: "Corner", title: "No handles" },
  { value: "smooth", label: "Smooth", title: "Handles in line" },
  { value: "free", label: "Free", title: "Handles each by itself" },
];

function OutlineDetails({ b, cover, outline }: { b: Bench; cover: Cover; outline: Outline }) {
  const chosen = [...b.points].filter((i) => i < outline.kinds.length);
  const kinds = new Set(chosen.map((i) => outline.kinds[i]!));
  const draw = (mode: "adds" | "cuts" | "limits") =>
    setBench({ tool: "pen", draft: null, into: { cover: cover.id, mode } });
  return (
    <>
      <Row label="Points">{outline.kinds.length}</Row>
      {chosen.length > 0 && (
        <Row label={`${chosen.length} chosen`}>
          <Choice
            options={KINDS}
            value={kinds.size === 1 ? [...kinds][0]! : null}
            onPick={(kind) =>
              void send({ type: "set-point-kind", outline: outline.id, indices: chosen, kind })
            }
          />
        </Row>
      )}
      <KeyRow b={b} element={outline.id} />
      <EaseRow b={b} element={outline.id} />
      <Row label="More">
        <Button small onClick={() => draw("adds")} title="Draw a further outline that adds to this cover">
          Add a part
        </Button>
        <Button small onClick={() => draw("cuts")} title="Draw an outline that cuts a hole into this cover">
          Cut a hole
        </Button>
      </Row>
      <Row label="">
        <Button
          look="brick"
          small
          onClick={() =>
            void send({ type: "delete", element: (cover.outlines ?? []).length > 1 ? outline.id : cover.id })
          }
        >
          {(cover.outlines ?? []).length > 1 ? "Delete this outline" : "Delete cover"}
        </Button>
      </Row>
    </>
  );
}

function KeyRow({ b, element }: { b: Bench; element: string }) {
  const keys = keyFrames(b, element);
  const here = keys.includes(b.frame);
  return (
    <Row label="Keys">
      <span>{keys.length}</span>
      {here ? (
        <Button
          small
          title="Delete the key that this frame has"
          disabled={keys.length < 2}
          onClick={() => void send({ type: "delete-keys", element, frames: [b.frame] })}
        >
          Delete key {b.frame}
        </Button>
      ) : (
        <Button
          small
          title="Set a key without a change  (K)"
          onClick={() => void send({ type: "set-key", element, frame: b.frame })}
        >
          Set key {b.frame}
        </Button>
      )}
    </Row>
  );
}

const EASES: { value: Ease; label: string; title: string }[] = [
  { value: "smooth", label: "Smooth", title: "Flow through the keys around" },
  { value: "linear", label: "Even", title: "Straight to the next key at an even pace" },
  { value: "hold", label: "Hold", title: "Stay as it is until the next key" },
];

const MIXINGS: { value: "linear" | "encoded"; label: string; title: string }[] = [
  { value: "linear", label: "Linear", title: "Mix in linear light, as light adds up" },
  { value: "encoded", label: "Encoded", title: "Mix the encoded values, as stored" },
];

/** How the stretch that this frame lies in (or the stretches after the keys chosen on the strip) goes on. */
function EaseRow({ b, element }: { b: Bench; element: string }) {
  const found = b.shot!.elements[element];
  const keys = found?.kind === "outline" || found?.kind === "pane" ? found.keys! : [];
  const chosen = b.keys?.element === element ? [...b.keys.frames] : [];
  const before = keys.filter((k) => k.frame <= b.frame).at(-1) ?? keys[0];
  const frames = chosen.length ? chosen : before ? [before.frame] : [];
  const eases = new Set(keys.filter((k) => frames.includes(k.frame)).map((k) => k.ease ?? "smooth"));
  return (
    <Row label={chosen.length > 1 ? "After these" : `After ${frames[0] ?? ""}`}>
      <Choice
        options={EASES}
        value={eases.size === 1 ? [...eases][0]! : null}
        disabled={keys.length < 2}
        onPick={(ease) => void send({ type: "ease-keys", element, frames, ease })}
      />
    </Row>
  );
}

function PaneDetails({ b, pane }: { b: Bench; pane: Pane }) {
  const set = (change: Partial<Pane>) => void send({ type: "set-pane", pane: pane.id, ...change } as Edit);
  return (
    <>
      <Heading name={pane.name} kind="pane" />
      <Row label="Name">
        <TextField label="Name" className="flex-1" value={pane.name} onCommit={(name) => set({ name })} />
      </Row>
      <InsertChooser pane={pane} />
      <Row label="Opacity">
        <NumberField
          label="Mix"
          unit="%"
          value={Math.round((pane.opacity ?? 1) * 100)}
          min={0}
          max={100}
          onCommit={(percent) => set({ opacity: percent / 100 })}
        />
      </Row>
      <KeyRow b={b} element={pane.id} />
      <EaseRow b={b} element={pane.id} />
      <Row label="">
        <Button look="brick" small onClick={() => void send({ type: "delete", element: pane.id })}>
          Delete pane
        </Button>
      </Row>
    </>
  );
}

function ShotDetails({ b }: { b: Bench }) {
  const { plate, elements } = b.shot!;
  const settings = elements.settings;
  if (settings?.kind !== "settings") return null;
  return (
    <>
      <Heading name={settings.name} kind="shot" />
      <Row label="Name">
        <TextField
          label="Name"
          className="flex-1"
          value={settings.name}
          onCommit={(name) => void send({ type: "set-shot", name })}
        />
      </Row>
      <Row label="Mixing in">
        <Choice
          options={MIXINGS}
          value={settings.mixing ?? "linear"}
          onPick={(mixing) => void send({ type: "set-shot", mixing })}
        />
      </Row>
      <Row label="Plate">
        {plate.width} x {plate.height}
        {plate.pixel_aspect !== 1 && `, pixels 1:${plate.pixel_aspect}`}
      </Row>
      <Row label="Frames">
        {plate.first} to {lastFrame(plate)}, {rateText(plate.rate_num, plate.rate_den)} f/s
      </Row>
    </>
  );
}
