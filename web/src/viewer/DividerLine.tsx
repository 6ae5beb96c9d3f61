import { useDrag } from "@use-gesture/react";
import { SquareSplitHorizontal } from "lucide-react";
import type { PointerEvent } from "react";

import { toggleDivider } from "../commands/divider";
import { bench, setBench, useBench } from "../state/bench";
import { useVersions } from "../state/versions";
import { LOOKS } from "../state/looks";
import type { Divider, Look } from "../state/slices/looks";
import { toPlate, toScreen, useView } from "../state/view";
import { IconButton } from "../ui/Button";

/** How far the knob that leans the divider lies from its middle, in px of the screen. */
const ARM = 120;

/** The button beside the looks that puts a divider into the picture; beyond it another look is shown. */
export function DividerButton() {
  const divider = useBench((b) => b.divider);
  return (
    <>
      <IconButton
        label="Two looks with a divider"
        shortcut="U"
        pressed={divider !== null}
        className="size-7"
        onClick={toggleDivider}
      >
        <SquareSplitHorizontal size={16} />
      </IconButton>
      {divider && <Compared divider={divider} />}
    </>
  );
}

const GAINS = [1, 2, 4, 8, 16];
const PICK = "h-7 rounded-md border border-line bg-cloth-raised px-1 text-[13px]";

/** What the look is compared with, and how. */
function Compared({ divider }: { divider: Divider }) {
  const shot = useBench((b) => b.shot!.id);
  const versions = useVersions(shot).data ?? [];
  const set = (change: Partial<Divider>) => setBench({ divider: { ...divider, ...change } });
  return (
    <>
      <select
        aria-label="Look beyond the divider"
        title="What it is compared with; V shows it whole while it is held"
        className={`${PICK} w-[92px]`}
        value={divider.version === null ? divider.beyond : `v${divider.version}`}
        onChange={(event) => {
          const { value } = event.target;
          const version = /^v\d+$/.test(value) ? Number(value.slice(1)) : null;
          set(version === null ? { version, beyond: value as Look } : { version });
        }}
      >
        {LOOKS.map(({ name, label }) => (
          <option key={name} value={name}>
            {label}
          </option>
        ))}
        {versions.map(({ number, label, name }) => (
          <option key={number} value={`v${number}`}>
            {name === label ? label : `${label} ${name}`}
          </option>
        ))}
      </select>
      <select
        aria-label="How they are compared"
        className={`${PICK} w-[104px]`}
        value={divider.way === "divider" ? 0 : divider.gain}
        onChange={(event) => {
          const gain = Number(event.target.value);
          set(gain ? { way: "difference", gain } : { way: "divider" });
        }}
      >
        <option value={0}>side by side</option>
        {GAINS.map((gain) => (
          <option key={gain} value={gain}>
            differ × {gain}
          </option>
        ))}
      </select>
    </>
  );
}

/** A handle's events, kept from the picture below it. */
function alone(handlers: ReturnType<ReturnType<typeof useDrag>>) {
  return {
    ...handlers,
    onPointerDown: (event: PointerEvent) => {
      handlers.onPointerDown?.(event);
      event.stopPropagation();
    },
  };
}

/** The divider itself: dragged by its middle, leaned by its knob. */
export function DividerLine() {
  const divider = useBench((b) => b.divider);
  const v = useView();
  const move = useDrag(({ event, delta: [dx, dy] }) => {
    event.stopPropagation();
    const now = bench().divider;
    if (!now) return;
    const view = useView.getState();
    const [x, y] = toScreen(view, now.x, now.y);
    const [px, py] = toPlate(view, x + dx, y + dy);
    setBench({ divider: { ...now, x: px, y: py } });
  });
  const lean = useDrag(({ event, xy: [cx, cy] }) => {
    event.stopPropagation();
    const now = bench().divider;
    const box = document.querySelector("[data-testid=viewer]")?.getBoundingClientRect();
    if (!now || !box) return;
    const [x, y] = toScreen(useView.getState(), now.x, now.y);
    const degrees = (Math.atan2(cx - box.left - x, -(cy - box.top - y)) * 180) / Math.PI;
    setBench({ divider: { ...now, lean: Math.abs(degrees) < 2 ? 0 : degrees } });
  });
  if (divider?.way !== "divider") return null;
  const [x, y] = toScreen(v, divider.x, divider.y);
  return (
    <div
      className="pointer-events-none absolute"
      style={{ left: x, top: y, transform: `rotate(${divider.lean}deg)` }}
      data-testid="divider"
    >
      <div className="absolute -top-[3000px] left-[-0.5px] h-[6000px] w-px bg-white mix-blend-difference" />
      <button
        type="button"
        {...alone(move())}
        aria-label="Drag the divider"
        className="pointer-events-auto absolute -top-5 -left-2 h-10 w-4 cursor-ew-resize touch-none rounded-md border border-line bg-cloth-raised shadow"
      />
      <button
        type="button"
        {...alone(lean())}
        aria-label="Lean the divider"
        className="pointer-events-auto absolute -left-2 size-4 cursor-grab touch-none rounded-full border border-line bg-cloth-raised shadow"
        style={{ top: -ARM - 8 }}
      />
    </div>
  );
}
