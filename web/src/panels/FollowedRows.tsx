import { Lock, LockOpen, X } from "lucide-react";

import { bounds } from "../api/bounds";
import type { Carrier } from "../api/client";
import { Button, Choice, IconButton } from "../ui/Button";
import { NumberField } from "../ui/NumberField";
import { goTo, useFrame } from "../state/bench";
import { Row } from "./Row";
import { send } from "../commands/send";
import { Settled } from "../state/types";
import { takeTool } from "../commands/tools";
import { pointAt } from "../state/carriers";

/** What so many points tell of the motion. */
const TELLS = ["", "shift", "shift, scale and turn", "affine"];

const WHEN_LOST = [
  {
    value: "simpler",
    label: "Carry on",
    title: "The others carry on with a simpler model; the frame is pinned",
  },
  { value: "stop", label: "Stop", title: "The frame counts as lost" },
] as const;

/** The points of a carrier: where each stands on this frame, its squares, and holding it as it is. */
export function FollowedRows({ b, carrier }: { b: Settled; carrier: Carrier }) {
  const frame = useFrame();
  const points = carrier.points;
  const set = (point: string, change: object) =>
    void send({ type: "set-point", carrier: carrier.id, point, ...change });
  return (
    <>
      <Row label="Points">
        <Button small look={b.tool === "points" ? "main" : "plain"} onClick={() => takeTool("points")}>
          Put another
        </Button>
        <span className="text-[13px] text-ink-soft">{TELLS[points.length] ?? "perspective"}</span>
      </Row>
      <p className="flex gap-1.5 text-[12px] leading-4 text-ink-soft" aria-hidden>
        <span className="w-16" />
        <span className="w-[66px]">pattern</span>searched in
      </p>
      <ul className="mb-1.5" aria-label="Points">
        {points.map((point, i) => {
          const here = pointAt(point, frame);
          const lost = point.track.some((f) => f.frame === frame);
          return (
            <li key={point.id} className="flex h-8 items-center gap-1.5" data-testid={`point-row-${i + 1}`}>
              <button
                type="button"
                title={`Its pattern is from frame ${point.at}`}
                className="w-16 shrink-0 truncate text-left text-[13px]"
                onClick={() => goTo(point.at)}
              >
                <b>{i + 1}</b>{" "}
                <span className={here ? (here.sure ? "text-ink-soft" : "text-brick") : "text-brick"}>
                  {here ? (here.sure ? "seen" : "unsure") : lost ? "lost" : "not yet"}
                </span>
              </button>
              <NumberField
                label={`Pattern of point ${i + 1}`}
                caption="px"
                narrow
                value={point.pattern}
                {...bounds.FollowedPoint.pattern}
                onCommit={(pattern) => set(point.id, { pattern })}
              />
              <NumberField
                label={`Search of point ${i + 1}`}
                caption="px"
                narrow
                value={point.search}
                {...bounds.FollowedPoint.search}
                onCommit={(search) => set(point.id, { search })}
              />
              <IconButton
                label={point.held ? `Follow point ${i + 1} anew` : `Hold point ${i + 1} as it is`}
                className="size-7"
                pressed={point.held}
                disabled={!point.held && !point.track.length}
                onClick={() => set(point.id, { held: !point.held })}
              >
                {point.held ? <Lock size={14} /> : <LockOpen size={14} />}
              </IconButton>
              <IconButton
                label={`Take point ${i + 1} away`}
                className="size-7"
                disabled={points.length < 2}
                onClick={() => void send({ type: "remove-point", carrier: carrier.id, point: point.id })}
              >
                <X size={14} />
              </IconButton>
            </li>
          );
        })}
      </ul>
      {points.length > 1 && (
        <Row label="One lost">
          <Choice
            options={[...WHEN_LOST]}
            value={carrier.when_lost}
            onPick={(when_lost) => void send({ type: "set-carrier", carrier: carrier.id, when_lost })}
          />
        </Row>
      )}
    </>
  );
}
