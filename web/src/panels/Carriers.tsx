import { Eye, EyeOff, Lock, LockOpen } from "lucide-react";

import type { Carrier, Outline } from "../api/client";
import { Button, IconButton } from "../ui/Button";
import { lastFrame } from "../state/plate";
import { select, useBench, useSettled } from "../state/bench";
import { carriersOf, isByHand, solvedOf } from "../state/carriers";
import { send } from "../commands/send";
import { solveAll } from "../commands/solving";
import { CarrierIcon } from "./ToolRail";
import { Settled } from "../state/types";
import { drawRegion, takeTool } from "../commands/tools";

/** How many things ride on a carrier. */
function riders(b: Settled, carrier: string): number {
  return Object.values(b.shot?.elements ?? {}).filter(
    (e) =>
      ((e.kind === "outline" || e.kind === "pane" || e.kind === "subject") && e.rides === carrier) ||
      (e.kind === "outline" && (e as Outline).joints.some((j) => j.carrier === carrier)),
  ).length;
}

/** The motions that things ride on, below what lies in depth. */
export function CarrierList() {
  const loop = useBench((now) => now.loop);
  const b = useSettled();
  const carriers = carriersOf(b);
  const solvable = carriers.filter((c) => !isByHand(c) && !c.locked);
  if (!b.shot) return null;
  const { plate } = b.shot;
  const [first, last] = loop ?? [plate.first, lastFrame(plate)];
  return (
    <section
      className="max-h-[26%] shrink-0 overflow-y-auto border-b border-line px-3 py-1.5"
      aria-label="Carriers"
    >
      <div className="flex items-center gap-1 pb-0.5">
        <h2 className="flex-1 font-semibold" title="Motions that things ride on">
          Carriers
        </h2>
        <Button
          small
          look="quiet"
          title="Draw a patch whose motion is solved  (M)"
          onClick={() => drawRegion(null, "patch")}
        >
          Patch
        </Button>
        <Button small look="quiet" title="Click points to follow" onClick={newPoints}>
          Points
        </Button>
        <Button
          small
          look="quiet"
          title="Click four corners that are moved by hand"
          onClick={() => takeTool("byhand")}
        >
          By hand
        </Button>
      </div>
      <ul>
        {carriers.map((carrier) => (
          <Row key={carrier.id} b={b} carrier={carrier} />
        ))}
      </ul>
      {solvable.length > 1 && (
        <Button
          small
          look="quiet"
          title="One after the other, those first that others begin or ride on; locked ones are left"
          onClick={() => solveAll(first, last)}
        >
          Solve all {solvable.length}
          {loop && `, ${first} to ${last}`}
        </Button>
      )}
    </section>
  );
}

/** Begin a carrier of points of its own. */
function newPoints() {
  select(null);
  takeTool("points");
}

function Row({ b, carrier }: { b: Settled; carrier: Carrier }) {
  const set = (change: Partial<Carrier>) =>
    void send({ type: "set-carrier", carrier: carrier.id, ...change });
  const sure = [...solvedOf(b, carrier).values()].filter((s) => s.status === "solved").length;
  const riding = riders(b, carrier.id);
  return (
    <li
      className={`flex items-center gap-0.5 rounded-md py-0.5 pr-0.5 pl-1.5 ${b.selected === carrier.id ? "bg-teal-soft" : "hover:bg-cloth-sunk"}`}
      data-testid={`carrier-${carrier.name}`}
    >
      <button
        type="button"
        className="flex min-w-0 flex-1 items-center gap-2 text-left"
        aria-pressed={b.selected === carrier.id}
        onClick={() => select(carrier.id)}
      >
        <span style={{ color: carrier.colour }}>
          <CarrierIcon size={18} strokeWidth={1.8} />
        </span>
        <span className="min-w-0">
          <span className="block truncate leading-[18px]">{carrier.name}</span>
          <span className="block text-[12px] leading-[15px] text-ink-soft">
            {isByHand(carrier) ? "set by hand" : sure ? `${sure} frames solved` : "not solved"}
            {riding > 0 && `, ${riding} ${riding === 1 ? "rides" : "ride"} on it`}
          </span>
        </span>
      </button>
      <IconButton
        label={carrier.shown === false ? "Show" : "Hide"}
        className="size-6 text-ink-soft"
        onClick={() => set({ shown: carrier.shown === false })}
      >
        {carrier.shown === false ? <EyeOff size={15} /> : <Eye size={15} />}
      </IconButton>
      <IconButton
        label={carrier.locked ? "Unlock" : "Lock"}
        className="size-6 text-ink-soft"
        onClick={() => set({ locked: !carrier.locked })}
      >
        {carrier.locked ? <Lock size={15} className="text-ink" /> : <LockOpen size={15} />}
      </IconButton>
    </li>
  );
}
