import { CropRows } from "./CropRows";
import type { Cover, Pane } from "../api/client";
import { percent } from "../ui/percent";
import { bounds, coverColours } from "../api/bounds";
import { Button, Choice } from "../ui/Button";
import { lastFrame, rateText } from "../state/plate";
import { NumberField } from "../ui/NumberField";
import { Section } from "../ui/Section";
import { TextField } from "../ui/TextField";
import { chosenCovers, coverOf, outlineOf, paneOf, settingsOf, subjectOf } from "../state/lookups";
import { goTo, select, setBench, useBench, useSettled } from "../state/bench";
import { carrierOf } from "../state/carriers";
import { CarrierDetails } from "./CarrierDetails";
import { FitRows } from "./FitRows";
import { InsertChooser } from "./InsertChooser";
import { NoteRows } from "./NoteRows";
import { NumberRow } from "./NumberRow";
import { PieceRows } from "./PieceRows";
import { SitInRows } from "./SitInRows";
import { EaseRow, KeyRow } from "./KeyRows";
import { OutlineDetails } from "./OutlineDetails";
import { RideRow } from "./RideRow";
import { HoldOutDiffering } from "./clips";
import { Heading, Row } from "./Row";
import { Scopes } from "./Scopes";
import { ScreenRows } from "./ScreenRows";
import { send } from "../commands/send";
import { VersionRows } from "./VersionRows";
import { SubjectDetails } from "./SubjectDetails";
import { BringIn } from "./BringIn";
import { NewSubject } from "./NewSubject";
import { Settled } from "../state/types";
import { groupChosen } from "../commands/choosing";
import { takeTool } from "../commands/tools";

/** What the selected thing needs, most used first. */
export function DetailsPanel() {
  const b = useSettled();
  const cover = coverOf(b, b.selected);
  const pane = paneOf(b, b.selected);
  const carrier = carrierOf(b, b.selected);
  const subject = subjectOf(b, b.selected);
  return (
    <section className="min-h-0 flex-1 overflow-y-auto px-3 py-2" aria-label="Details">
      {cover ? (
        <CoverDetails b={b} cover={cover} />
      ) : pane ? (
        <PaneDetails b={b} pane={pane} />
      ) : subject ? (
        <SubjectDetails b={b} subject={subject} />
      ) : carrier ? (
        <CarrierDetails b={b} carrier={carrier} />
      ) : (
        <ShotDetails b={b} />
      )}
    </section>
  );
}

/** Okabe & Ito's colour-blind-safe set. */
function Colours({ value, onPick }: { value: string; onPick: (colour: string) => void }) {
  return coverColours.map((colour) => (
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

/** What covers are usually called. */
const NAMES = [
  "Index finger",
  "Middle finger",
  "Ring finger",
  "Little finger",
  "Thumb",
  "Palm",
  "Hand",
  "Arm",
  "Person",
];

function CoverDetails({ b, cover }: { b: Settled; cover: Cover }) {
  const { plate } = b.shot!;
  const first = plate.first;
  const set = (change: Partial<Cover>) => void send({ type: "set-cover", cover: cover.id, ...change });
  const outline = outlineOf(b, b.active);
  return (
    <>
      <Heading name={cover.name} kind="cover" />
      {chosenCovers(b).length > 1 && (
        <Row label={`${chosenCovers(b).length} chosen`}>
          <Button small title="Put them into a group  (Ctrl+G)" onClick={groupChosen}>
            Group
          </Button>
          <span className="text-[13px] text-ink-soft">arrows move all of them</span>
        </Row>
      )}
      <Row label="Name">
        <TextField
          label="Name"
          className="flex-1"
          value={cover.name}
          suggestions={NAMES}
          onCommit={(name) => set({ name })}
        />
      </Row>
      <RideRow b={b} elements={[cover.id]} rides={outline?.rides ?? null} outline={outline} />
      <Row label="Colour">
        <Colours value={cover.colour} onPick={(colour) => set({ colour })} />
      </Row>
      {cover.outlines.length > 1 && (
        <Row label="Outlines">
          {cover.outlines.map((id, i) => (
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
      <Section title="Matte and span" open={false}>
        <Row label="There">
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
        <Row label="Fade">
          <NumberField
            label="Fade in"
            caption="in"
            narrow
            unit="fr"
            value={cover.fade_in}
            {...bounds.Cover.fade_in}
            onCommit={(fade_in) => set({ fade_in })}
          />
          <NumberField
            label="Fade out"
            caption="out"
            narrow
            unit="fr"
            value={cover.fade_out}
            {...bounds.Cover.fade_out}
            onCommit={(fade_out) => set({ fade_out })}
          />
        </Row>
        <Row label="Matte">
          <NumberField
            label="Grow"
            caption="grow"
            unit="px"
            digits={2}
            step={0.1}
            value={cover.grow}
            {...bounds.Cover.grow}
            onCommit={(grow) => set({ grow })}
          />
        </Row>
        <Row label="Motion blur">
          <NumberField
            label="Shutter"
            caption="shutter"
            unit="°"
            step={5}
            value={cover.shutter}
            {...bounds.Cover.shutter}
            onCommit={(shutter) => set({ shutter })}
          />
          {cover.shutter > 0 && (
            <NumberField
              label="Phase"
              caption="phase"
              unit="°"
              step={5}
              value={cover.phase}
              {...bounds.Cover.phase}
              onCommit={(phase) => set({ phase })}
            />
          )}
        </Row>
      </Section>
      <Row label="">
        <Button look="brick" small onClick={() => void send({ type: "delete", element: cover.id })}>
          Delete cover
        </Button>
      </Row>
    </>
  );
}

const MIXINGS: { value: "linear" | "encoded"; label: string; title: string }[] = [
  { value: "linear", label: "Linear", title: "Mix in linear light, as light adds up" },
  { value: "encoded", label: "Encoded", title: "Mix the encoded values, as stored" },
];

function PaneDetails({ b, pane }: { b: Settled; pane: Pane }) {
  const set = (change: Partial<Pane>) => void send({ type: "set-pane", pane: pane.id, ...change });
  return (
    <>
      <Heading name={pane.name} kind="pane" />
      <Row label="Name">
        <TextField label="Name" className="flex-1" value={pane.name} onCommit={(name) => set({ name })} />
      </Row>
      <RideRow b={b} elements={[pane.id]} rides={pane.rides ?? null} />
      <InsertChooser pane={pane} />
      <NumberRow
        pane={pane}
        path="opacity"
        row="Opacity"
        label="Mix"
        times={100}
        unit="%"
        {...percent(bounds.Pane.opacity)}
        step={1}
      />
      <Section title="Sit in">
        <SitInRows pane={pane} />
      </Section>
      <Section title="Scopes" open={false}>
        <Scopes pane={pane} />
      </Section>
      <Section title="Pieces in time" open={pane.pieces.length > 0}>
        <PieceRows pane={pane} />
      </Section>
      <Section title="Fit, wipe and float" open={false}>
        <FitRows pane={pane} />
      </Section>
      <Row label="In front">
        <Button
          small
          title="Where the screen was shot in a backing's colour: drag over it, and what is not of that colour stays in front"
          onClick={() => {
            takeTool("sample");
            setBench({ into: { pane: pane.id } });
          }}
        >
          Hold out by colour
        </Button>
        <HoldOutDiffering shot={b.shot!.id} pane={pane.id} label="Hold out by difference" />
      </Row>
      <KeyRow b={b} element={pane.id} />
      <EaseRow b={b} element={pane.id} />
      <Section title="Screen">
        <ScreenRows b={b} pane={pane} set={set} />
      </Section>
      <Row label="">
        <Button look="brick" small onClick={() => void send({ type: "delete", element: pane.id })}>
          Delete pane
        </Button>
      </Row>
    </>
  );
}

function ShotDetails({ b }: { b: Settled }) {
  const { plate, elements } = b.shot!;
  const settings = settingsOf(elements);
  if (!settings) return null;
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
          value={settings.mixing}
          onPick={(mixing) => void send({ type: "set-shot", mixing })}
        />
      </Row>
      <CropRows plate={plate} crop={settings.crop} />
      <NewSubject b={b} />
      <BringIn />
      <Section title="Notes">
        <ShotNotes shot={b.shot!.id} />
      </Section>
      <Section title="Versions">
        <VersionRows b={b} />
      </Section>
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

function ShotNotes({ shot }: { shot: string }) {
  const frame = useBench((b) => b.frame);
  return <NoteRows shot={shot} frame={frame} place={null} goTo={(to) => goTo(to)} placed={() => undefined} />;
}
