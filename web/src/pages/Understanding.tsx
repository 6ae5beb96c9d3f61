import { useState } from "react";

import { bounds } from "../api/bounds";
import type { Correction, Understood } from "../api/client";
import { rateText } from "../state/plate";
import { Button } from "../ui/Button";
import { NumberField } from "../ui/NumberField";
import { TextField } from "../ui/TextField";
import { Fact } from "./Fact";
import { ReadAs } from "./ReadAs";

/** Common frame rates; NTSC's ones are exact fractions (SMPTE ST 12-1). */
const RATES: [number, number][] = [
  [24000, 1001],
  [24, 1],
  [25, 1],
  [30000, 1001],
  [30, 1],
  [50, 1],
  [60000, 1001],
  [60, 1],
];

type Changing = { correction: Correction; change: (part: Partial<Correction>) => void };

/** What was understood from files, where it can be corrected, and taken or not. */
export function Understanding({
  id,
  understood: u,
  busy,
  again,
  onAccept,
  onDiscard,
}: {
  id: string;
  understood: Understood;
  busy: boolean;
  again: boolean;
  onAccept: (correction: Correction) => void;
  onDiscard: () => void;
}) {
  const [c, setC] = useState<Correction>({
    name: u.name.slice(0, 80) || "Plate",
    first: u.first,
    rate_num: u.rate_num,
    rate_den: u.rate_den,
    pixel_aspect: u.pixel_aspect,
    layer: u.layer,
    light: u.light,
    hold_gaps: false,
  });
  const change = (part: Partial<Correction>) => setC({ ...c, ...part });
  return (
    <fieldset disabled={busy} className="disabled:opacity-60">
      <Seen id={id} u={u} correction={c} />
      {u.notes.map((note) => (
        <p key={note} className="mb-2 border-l-[3px] border-marigold pl-3">
          {note}
        </p>
      ))}
      <Corrections id={id} u={u} correction={c} change={change} />
      <div className="flex gap-2">
        <Button
          look="main"
          disabled={busy || (u.gaps.length > 0 && !c.hold_gaps)}
          onClick={() => onAccept(c)}
        >
          {again ? "Try again" : "Take as plate"}
        </Button>
        <Button look="brick" onClick={onDiscard}>
          Discard
        </Button>
      </div>
    </fieldset>
  );
}

function Seen({ id, u, correction: c }: { id: string; u: Understood; correction: Correction }) {
  const { gaps } = u;
  const first = c.first;
  const named = u.names[0] ?? u.files[0];
  const read = new URLSearchParams({ layer: c.layer ?? "", light: c.light ?? "usual", lut: u.lut });
  return (
    <div className="mb-5 grid grid-cols-[340px_minmax(0,1fr)] gap-x-8">
      <img
        src={`/api/intakes/${id}/picture.jpg?${read}`}
        alt="The first frame"
        className="max-h-60 w-full rounded-md bg-table object-contain"
      />
      <div className="grid content-start gap-y-2">
        <h2 className="font-semibold">What was understood</h2>
        <Fact label="Kind">
          {u.kind}
          {u.codec && `, ${u.codec}`}
        </Fact>
        <Fact label="Size">
          {u.width} x {u.height}
        </Fact>
        <Fact label="Frames">
          {u.count}, {first} to {first + u.count - 1}
        </Fact>
        <Fact label="Depth">
          {u.bit_depth} bit{u.floating ? " float" : ""}
          {u.alpha ? ", with alpha" : ""}
        </Fact>
        <Fact label="Files">{u.files.length === 1 ? named : `${named} and ${u.files.length - 1} more`}</Fact>
        <Fact label="Rate">
          {u.rate_known
            ? `${rateText(u.rate_num, u.rate_den)} f/s (${u.rate_num}/${u.rate_den})`
            : "not in the files"}
          {u.rate_varies && ", varies"}
        </Fact>
        <Fact label="Gaps">
          {gaps.length === 0
            ? "none"
            : gaps.map((g) => (g.first === g.last ? g.first : `${g.first} to ${g.last}`)).join(", ")}
        </Fact>
      </div>
    </div>
  );
}

function Corrections({ id, u, correction: c, change }: Changing & { id: string; u: Understood }) {
  const missing = u.gaps.reduce((n, g) => n + g.last - g.first + 1, 0);
  return (
    <div className="my-5 grid gap-y-2.5 border-t border-line pt-5">
      <h2 className="font-semibold">Correct it where it is wrong</h2>
      <Fact label="Name">
        <TextField label="Name" className="w-72" value={c.name} onCommit={(name) => change({ name })} />
      </Fact>
      <Fact label="First frame">
        <NumberField
          label="Frame"
          value={c.first}
          {...bounds.Correction.first}
          onCommit={(first) => change({ first: Math.round(first) })}
        />
      </Fact>
      <Rate correction={c} nearest={u.nearest_rate} change={change} />
      <Fact label="Pixel shape">
        <NumberField
          label="width : height"
          digits={4}
          step={0.01}
          {...bounds.Correction.pixel_aspect}
          value={c.pixel_aspect}
          onCommit={(pixel_aspect) => change({ pixel_aspect })}
        />
      </Fact>
      <ReadAs id={id} u={u} correction={c} change={change} />
      {u.gaps.length > 0 && (
        <Fact label="Gaps">
          <label className="flex items-center gap-2">
            <input
              type="checkbox"
              checked={c.hold_gaps}
              onChange={(event) => change({ hold_gaps: event.target.checked })}
            />
            Hold the frame before each gap ({missing} {missing === 1 ? "frame is" : "frames are"} missing)
          </label>
        </Fact>
      )}
    </div>
  );
}

/** The rate: a common one, any fraction, or the standard one that is nearest to what an odd file says. */
function Rate({ correction: c, nearest, change }: Changing & { nearest: Understood["nearest_rate"] }) {
  const near = nearest && c.rate_num * nearest.rate_den !== nearest.rate_num * c.rate_den ? nearest : null;
  return (
    <Fact label="Frames a second">
      <span className="flex flex-wrap gap-1.5">
        {RATES.map(([num, den]) => (
          <Button
            key={`${num}/${den}`}
            small
            look={c.rate_num * den === num * c.rate_den ? "main" : "plain"}
            aria-pressed={c.rate_num * den === num * c.rate_den}
            onClick={() => change({ rate_num: num, rate_den: den })}
          >
            {rateText(num, den)}
          </Button>
        ))}
        <NumberField
          label="as"
          value={c.rate_num}
          {...bounds.Correction.rate_num}
          onCommit={(n) => change({ rate_num: Math.round(n) })}
        />
        <NumberField
          label="/"
          value={c.rate_den}
          {...bounds.Correction.rate_den}
          onCommit={(n) => change({ rate_den: Math.round(n) })}
        />
      </span>
      {near && (
        <span className="mt-1.5 flex items-center gap-2">
          <Button small onClick={() => change({ rate_num: near.rate_num, rate_den: near.rate_den })}>
            Take {rateText(near.rate_num, near.rate_den)} instead
          </Button>
          <span className="text-ink-soft">
            the nearest standard rate; the last frame is then {Number(near.last_off.toPrecision(2))}{" "}
            {near.last_off === 1 ? "frame" : "frames"} off
          </span>
        </span>
      )}
    </Fact>
  );
}
