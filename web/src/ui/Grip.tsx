import { useDrag } from "@use-gesture/react";
import { create } from "zustand";
import { persist } from "zustand/middleware";

import { BY_POINTER } from "./pointer";

/** Sizes of panels that the artist has set, in pixels, by their names; kept in this browser. */
export const useSizes = create<{ sizes: Partial<Record<string, number>> }>()(
  persist(() => ({ sizes: {} }), { name: "wiseglove.sizes" }),
);

const setSize = (name: string, size: number | undefined) =>
  useSizes.setState(({ sizes }) => ({ sizes: { ...sizes, [name]: size } }));

/**
 * The edge between two panels: dragged, or moved by the arrow keys; a double click lets the page choose again.
 *
 * `measured` is the size that the panel has now; `grows` which way the edge goes when it grows.
 */
export function Grip(props: {
  name: string;
  label: string;
  grows: "left" | "up" | "down";
  least: number;
  most: number;
  measured: () => number;
}) {
  const { name, label, grows, least, most, measured } = props;
  const size = useSizes((s) => s.sizes[name]);
  const across = grows === "left";
  const to = (value: number) => setSize(name, Math.round(Math.min(Math.max(value, least), most)));
  const drag = useDrag<PointerEvent>(({ event, first, movement: [dx, dy], memo }) => {
    event.stopPropagation();
    const from = first ? measured() : (memo as number);
    to(from + (grows === "left" ? -dx : grows === "up" ? -dy : dy));
    return from;
  }, BY_POINTER);
  // ARIA's window splitter is a separator that takes the focus, which the linter does not know.
  /* eslint-disable jsx-a11y/no-noninteractive-element-interactions, jsx-a11y/no-noninteractive-tabindex */
  return (
    <div
      role="separator"
      tabIndex={0}
      aria-label={label}
      aria-orientation={across ? "vertical" : "horizontal"}
      aria-valuenow={size ?? 0}
      aria-valuetext={size ? `${size} pixels` : "as it fits"}
      aria-valuemin={least}
      aria-valuemax={most}
      title={`${label}: drag; a double click fits it again`}
      data-own-arrows
      className={`group absolute z-10 touch-none focus-visible:outline-2 focus-visible:outline-teal ${across ? "inset-y-0 -left-[4px] w-[8px] cursor-ew-resize" : "inset-x-0 h-[8px] cursor-ns-resize"} ${grows === "up" ? "-top-[4px]" : grows === "down" ? "-bottom-[4px]" : ""}`}
      onDoubleClick={() => setSize(name, undefined)}
      onKeyDown={(event) => {
        const ways = {
          left: ["ArrowLeft", "ArrowRight"],
          up: ["ArrowUp", "ArrowDown"],
          down: ["ArrowDown", "ArrowUp"],
        };
        const way = ways[grows].indexOf(event.key);
        if (way < 0) return;
        event.preventDefault();
        event.stopPropagation();
        to(measured() + (way === 0 ? 1 : -1) * (event.shiftKey ? 40 : 8));
      }}
      {...drag()}
    >
      <span
        className={`absolute rounded-full bg-teal opacity-0 group-hover:opacity-60 ${across ? "inset-y-0 left-[3px] w-[2px]" : "inset-x-0 top-[3px] h-[2px]"}`}
      />
    </div>
  );
}
