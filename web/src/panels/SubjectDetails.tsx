import { useQuery } from "@tanstack/react-query";
import { useCallback } from "react";

import { api, Corners, data, type Subject } from "../api/client";
import { Button } from "../ui/Button";
import { NumberField } from "../ui/NumberField";
import { Section } from "../ui/Section";
import { Select } from "../ui/Select";
import { TextField } from "../ui/TextField";
import { inDepth } from "../state/lookups";
import { useFrame } from "../state/bench";
import { CleanUpRows } from "./CleanUpRows";
import { clipLabel, MakeBehind, TakeIn, useClips } from "./clips";
import { KeyRow } from "./KeyRows";
import { MatteRows } from "./MatteRows";
import { RideRow } from "./RideRow";
import { Heading, Row } from "./Row";
import { make, send } from "../commands/send";
import { SpillRows } from "./SpillRows";
import { shown } from "../state/subjects";
import { TriedRow, TriedShare, type Trying } from "./TriedRow";
import { Settled } from "../state/types";
import { setSubject, SubjectChange, trySubject } from "../commands/subjects";
import { takeTool } from "../commands/tools";

const SOURCES = [
  { value: "colour", label: "Its backing's colour" },
  { value: "alpha", label: "Alpha" },
  { value: "luma", label: "Luma" },
  { value: "red", label: "Red" },
  { value: "green", label: "Green" },
  { value: "blue", label: "Blue" },
];

type Keying = NonNullable<Subject["key"]>;

/** What a subject is cut out by, cleaned up by and put back together with. */
export function SubjectDetails({ b, subject }: { b: Settled; subject: Subject }) {
  const keep = (change: SubjectChange) => void setSubject(subject, change);
  const attempt = (change: SubjectChange | null) => trySubject(subject, change);
  const notes = useNotes(b.shot!.id, subject);
  const first = b.shot!.plate.first;
  return (
    <>
      <Heading name={subject.name} kind="subject" />
      <Row label="Name">
        <TextField
          label="Name"
          className="flex-1"
          value={subject.name}
          suggestions={["Presenter", "Hand", "Foreground"]}
          onCommit={(name) => keep({ name })}
        />
      </Row>
      {notes.map((note) => (
        <p
          key={note}
          className="mb-1.5 rounded-md border-l-4 border-marigold bg-cloth-sunk px-2 py-1 text-[13px]"
        >
          {note}
        </p>
      ))}
      {subject.clip && (
        <>
          <RideRow b={b} elements={[subject.id]} rides={subject.rides ?? null} />
          <Row label="In time">
            <NumberField
              label="Begins at"
              caption="begins at"
              value={subject.start ?? first}
              onCommit={(start) => keep({ start: Math.round(start) })}
            />
          </Row>
          <KeyRow b={b} element={subject.id} />
          <OpacityRow subject={subject} keep={keep} attempt={attempt} />
        </>
      )}
      <Section title="Key">
        <KeyRows b={b} subject={subject} keep={keep} attempt={attempt} />
      </Section>
      <Section title="Clean-up, in this order">
        <CleanUpRows subject={subject} keep={keep} attempt={attempt} />
      </Section>
      <Section title="Spill" open={false}>
        <SpillRows subject={subject} keep={keep} attempt={attempt} />
      </Section>
      <Section title="Core and garbage" open={false}>
        <MatteRows b={b} subject={subject} keep={keep} />
      </Section>
      <Section title="Limit and background" open={false}>
        {!subject.clip && <OpacityRow subject={subject} keep={keep} attempt={attempt} />}
        <LimitRows b={b} subject={subject} keep={keep} attempt={attempt} />
      </Section>
      <Row label="">
        <Button look="brick" small onClick={() => void send({ type: "delete", element: subject.id })}>
          Delete subject
        </Button>
      </Row>
    </>
  );
}

/** What is to be known about the clips that a subject comes from. */
function useNotes(shot: string, subject: Subject): string[] {
  const asks = Boolean(subject.clip || subject.key.matte || subject.key.source !== "colour");
  const found = useQuery({
    queryKey: ["notes", shot, subject.id, subject.clip, subject.start, subject.key],
    enabled: asks,
    queryFn: () =>
      data<{ notes: string[] }>(
        api.GET("/api/shots/{shot_id}/subjects/{subject}/notes", {
          params: { path: { shot_id: shot, subject: subject.id } },
        }),
      ),
  });
  return asks ? (found.data?.notes ?? []) : [];
}

export interface Rows extends Trying {
  subject: Subject;
}

/** Half clear while it is being fitted, as a rule. */
function OpacityRow({ subject, ...trying }: Rows) {
  return (
    <TriedShare
      {...trying}
      row="Opacity"
      label="Opacity"
      share={subject.opacity}
      change={(opacity) => ({ opacity })}
    />
  );
}

function KeyRows({ b, subject, ...trying }: Rows & { b: Settled }) {
  const clips = useClips(b.shot!.id);
  const key = subject.key as Keying;
  const samples = key.samples;
  const changed = (change: Partial<Keying>) => ({ key: { ...key, ...change } });
  const set = (change: Partial<Keying>) => trying.keep(changed(change));
  const matte = useCallback(
    (clip: string) => void setSubject(subject, { key: { ...subject.key, matte: clip } as Keying }),
    [subject],
  );
  const own = subject.clip ? "Its own clip" : "The plate";
  const others = (clips.data ?? []).map((c) => ({ value: c.id, label: clipLabel(c) }));
  const byColour = key.source === "colour";
  return (
    <>
      <Row label="Matte by">
        <Select
          label="Matte by"
          options={SOURCES}
          value={key.source}
          onPick={(source) => set({ source: source as Keying["source"] })}
        />
      </Row>
      {byColour && (
        <Row label="Backing">
          {samples.map((sample, i) => (
            <button
              key={i}
              type="button"
              aria-label={`Sample ${i + 1} of frame ${sample.frame}`}
              title={`Frame ${sample.frame}: a click takes the sample away`}
              className="size-6 rounded-md border border-line"
              style={{ background: shown(sample.colour) }}
              onClick={() => set({ samples: samples.filter((_, k) => k !== i) })}
            />
          ))}
          <Button
            small
            title="Drag over the backing, near the subject's edge  (Y)"
            onClick={() => takeTool("sample")}
          >
            {samples.length ? "Sample more" : "Sample it"}
          </Button>
        </Row>
      )}
      <TriedRow
        {...trying}
        row="Low end"
        label="Low end"
        value={key.low!}
        min={0}
        max={0.95}
        step={0.005}
        digits={3}
        change={(low) => changed({ low: Math.min(low, key.high! - 0.01) })}
      />
      <TriedRow
        {...trying}
        row="High end"
        label="High end"
        value={key.high!}
        min={0.05}
        max={1}
        step={0.005}
        digits={3}
        change={(high) => changed({ high: Math.max(high, key.low! + 0.01) })}
      />
      {byColour && (
        <>
          <TriedRow
            {...trying}
            row="Gamma"
            label="Gamma of the edge"
            value={key.gamma!}
            min={0.3}
            max={3}
            step={0.05}
            change={(gamma) => changed({ gamma })}
          />
          <TriedRow
            {...trying}
            row="Denoise"
            label="Denoise before the key"
            value={key.denoise!}
            min={0}
            max={3}
            step={0.1}
            digits={1}
            change={(denoise) => changed({ denoise })}
          />
          {others.length > 0 && (
            <Row label="Clean plate">
              <Select
                label="Clean plate"
                options={[{ value: "", label: "None, from the backing" }, ...others]}
                value={key.clean ?? ""}
                onPick={(clean) => set({ clean: clean || null })}
              />
            </Row>
          )}
          {!subject.clip && (
            <Row label={others.length > 0 ? "" : "Clean plate"}>
              <MakeBehind
                shot={b.shot!.id}
                label="Make the clean plate"
                title="Where the camera stands: the plate without the subject, from all frames; keyed with it at once"
                onMade={(clean) => set({ clean })}
              />
            </Row>
          )}
        </>
      )}
      <Row label="Matte from">
        {others.length > 0 && (
          <Select
            label="Matte from"
            options={[{ value: "", label: own }, ...others]}
            value={key.matte ?? ""}
            onPick={(clip) => set({ matte: clip || null })}
          />
        )}
        <TakeIn shot={b.shot!.id} label="Clip …" testId="matte-files" onTaken={matte} />
      </Row>
      <Row label="">
        <label className="flex items-center gap-1.5">
          <input
            type="checkbox"
            checked={key.inverted}
            onChange={(event) => set({ inverted: event.target.checked })}
          />
          Turned over
        </label>
        <label
          className="flex items-center gap-1.5"
          title="For hair, fur and motion blur: the soft edge is solved from the picture's colours. The first time on a machine takes a minute or two, each frame about a second; what is solved is kept"
        >
          <input
            type="checkbox"
            checked={key.solved}
            onChange={(event) => set({ solved: event.target.checked })}
          />
          Solve the soft edge
        </label>
        {key.solved && b.softEdge > 0 && (
          <span className="text-[13px] text-ink-soft" data-testid="soft-edge">
            {b.softEdge.toFixed(1)} s a frame
          </span>
        )}
        {key.matte && (
          <NumberField
            label="Matte begins at"
            caption="begins at"
            value={key.start ?? b.shot!.plate.first}
            onCommit={(start) => set({ start: Math.round(start) })}
          />
        )}
      </Row>
    </>
  );
}

function LimitRows({ b, subject, keep, attempt }: Rows & { b: Settled }) {
  const frame = useFrame();
  const panes = inDepth(b).filter((t) => t.kind === "pane");
  const behind = async () => {
    const { plate } = b.shot!;
    const { width: w, height: h } = plate;
    const corners: Corners = [
      [0, 0],
      [w, 0],
      [w, h],
      [0, h],
    ];
    await make({
      type: "add-pane",
      frame: frame,
      corners,
      name: "Background",
    });
  };
  return (
    <>
      <Row label="Only within">
        <Select
          label="Only within"
          options={[
            { value: "", label: "The whole picture" },
            ...panes.map((p) => ({ value: p.id, label: p.name })),
          ]}
          value={subject.pane ?? ""}
          onPick={(pane) => keep({ pane: pane || null })}
        />
      </Row>
      {subject.pane && (
        <TriedRow
          keep={keep}
          attempt={attempt}
          row="Beyond it"
          label="Beyond it"
          unit="px"
          digits={1}
          value={subject.beyond!}
          min={0}
          max={40}
          step={0.5}
          change={(beyond) => ({ beyond })}
        />
      )}
      <Row label="">
        <Button small title="A pane that fills the frame, behind everything" onClick={() => void behind()}>
          Put a picture behind
        </Button>
      </Row>
    </>
  );
}
