import { useEffect } from "react";

import type { Cover, Outline } from "../api/client";
import { proposeBetween, proposeThinning } from "../commands/proposals";
import { carryHere, chooseWorst, looksRight, lookInto, snapWorst } from "../commands/reviewing";
import { send } from "../commands/send";
import { useBench, useFrame } from "../state/bench";
import { marksHere } from "../state/slices/review";
import type { Settled } from "../state/types";
import { Button } from "../ui/Button";
import { Section } from "../ui/Section";
import { Row } from "./Row";

/**
 * How well the outline fits here, what can be done about it, and how it boils. All rows are there before anything is
 * known: what is judged a moment later must not push away what the pointer is about to press.
 */
export function FitHere({ b, outline }: { b: Settled; outline: Outline }) {
  const frame = useFrame();
  const current = useBench(marksHere);
  const fits = b.review?.outlines[outline.id];
  const fault = fits?.fault[frame - fits.first];
  const marks = current?.marks.filter((m) => m.outline === outline.id) ?? [];
  const right = current?.right.includes(outline.id) ?? false;
  const off = marks.filter((m) => !m.carried);
  const said = right
    ? "Looks right"
    : off.length
      ? `Off by ${off[0]!.fault.toFixed(1)} px on ${stretches(off.length)}`
      : marks.length
        ? `Carried, in doubt on ${stretches(marks.length)}`
        : fault == null
          ? "Not judged yet"
          : fault < 1
            ? "Fits"
            : current
              ? "Fits where it matters"
              : "Being looked at";
  const nothing = marks.length === 0;
  return (
    <Section title="Fit">
      <Row label="Here">
        <span className="min-w-0 truncate pr-2" data-testid="fit-here" title={said}>
          {said}
        </span>
      </Row>
      <Row label="Put right">
        <Button
          small
          disabled={nothing}
          title={
            off.length
              ? "Put what is off where the edge seems to be by the other keys; shown first"
              : "Move what is in doubt onto the edge in the plate; shown first"
          }
          onClick={() => void snapWorst(outline.id)}
        >
          Snap
        </Button>
        <Button
          small
          disabled={nothing}
          title="Carry the outline to here from its nearest key; shown first"
          onClick={() => void carryHere(outline.id)}
        >
          Carry
        </Button>
        <Button
          small
          disabled={nothing}
          title="Carry the outline over all frames between the nearest keys that fit, in place of the keys there; shown first"
          onClick={() => void proposeBetween()}
        >
          Between
        </Button>
      </Row>
      <Row label="">
        <Button
          small
          disabled={nothing}
          title="Choose the worst stretch and set a key here, to drag it right"
          onClick={() => {
            chooseWorst(outline.id);
            void send({ type: "set-key", element: outline.id, frame });
          }}
        >
          Key
        </Button>
        {right ? (
          <Button small title="Let this frame be doubted again" onClick={() => looksRight(outline.id, false)}>
            Doubt it again
          </Button>
        ) : (
          <Button
            small
            disabled={nothing}
            title="Take the pin away until the outline changes here"
            onClick={() => looksRight(outline.id, true)}
          >
            Looks right
          </Button>
        )}
      </Row>
      <BoilRow b={b} outline={outline} />
    </Section>
  );
}

const stretches = (count: number) => (count === 1 ? "one stretch" : `${count} stretches`);

/** How much the outline boils at most, and fewer keys that calm it; shown on the strip first. */
function BoilRow({ b, outline }: { b: Settled; outline: Outline }) {
  const found = b.detail?.outline === outline.id ? b.detail : null;
  const frame = useFrame();
  const { id: shot, revision } = b.shot!;
  useEffect(() => lookInto(shot, outline.id), [shot, outline.id, revision]);
  const here = found?.boil[frame - found.first] ?? 0;
  const most = Math.max(...(found?.boil ?? []), 0);
  const [run] = found?.overworked ?? [];
  return (
    <>
      <MattersRow b={b} outline={outline} runs={found && (found.matters as [number, number][])} />
      <Row label="Boil">
        <span
          className="min-w-0 flex-1 truncate pr-1"
          title={
            run
              ? `Keys ${run[0]} to ${run[1]} stand close together and make the edge tremble`
              : "Movement of the edge that is left after its smooth motion"
          }
        >
          {found ? `${here.toFixed(2)} px, at most ${most.toFixed(2)}` : "Not judged yet"}
        </span>
        <Button
          small
          disabled={!found || most < (found.notable ?? 0.15) || outline.keys.length <= 2}
          title="Propose fewer keys, which change no frame by more than a little; shown first"
          onClick={() => found && void proposeThinning(found.calm)}
        >
          Calm
        </Button>
      </Row>
    </>
  );
}

/** The frames on which the outline lies over what is put in; in and out can be set by them. */
function MattersRow({ b, outline, runs }: { b: Settled; outline: Outline; runs: [number, number][] | null }) {
  const cover = b.shot!.elements[outline.cover] as Cover;
  const first = runs?.[0]?.[0];
  const last = runs?.at(-1)?.[1];
  const words = (runs ?? [])
    .map(([from, to]) => (from === to ? String(from) : `${from} to ${to}`))
    .join(", ");
  const whole = cover.first === first && cover.last === last;
  return (
    <Row label="Matters">
      <span
        className="min-w-0 flex-1 truncate pr-1"
        data-testid="matters"
        title={words ? `Its edge lies over what is put in on ${words}; elsewhere it may be rough` : undefined}
      >
        {!runs ? "Not judged yet" : words || "Nowhere: it may be rough"}
      </span>
      <Button
        small
        disabled={first === undefined || last === undefined || cover.outlines.length > 1 || whole}
        title="Set in and out of the cover to the first and last frame on which it matters"
        onClick={() => void send({ type: "set-cover", cover: cover.id, first, last })}
      >
        In and out
      </Button>
    </Row>
  );
}
