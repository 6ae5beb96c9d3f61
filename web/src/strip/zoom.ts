import { useEffect, useRef, useState, type RefObject } from "react";

import type { Plate } from "../api/client";
import { useBench } from "../state/bench";

/** Pixels of the strip that a frame has at the most. */
const WIDEST = 40;

interface Window {
  /** How many times wider than the strip all frames are. */
  zoom: number;
  /** Pixels by which they are scrolled. */
  left: number;
}

/** The strip zoomed at the pointer by the wheel with Ctrl (or a pinch), and scrolled by Shift or sideways. */
export function useStripZoom(track: RefObject<HTMLElement | null>, width: number, plate: Plate): Window {
  const [seen, setSeen] = useState<Window>({ zoom: 1, left: 0 });
  const most = Math.max((WIDEST * plate.count) / Math.max(width, 1), 1);
  const latest = useRef({ width, most });
  latest.current = { width, most };

  useEffect(() => {
    const target = track.current!;
    const wheel = (event: WheelEvent) => {
      const across = event.shiftKey ? event.deltaY || event.deltaX : event.deltaX;
      if (!event.ctrlKey && !across) return;
      event.preventDefault();
      const at = event.clientX - target.getBoundingClientRect().left;
      setSeen(({ zoom, left }) => {
        const { width: wide, most: limit } = latest.current;
        const turned = event.deltaY * (event.deltaMode === 1 ? 0.05 : 0.003);
        const next = event.ctrlKey ? Math.min(Math.max(zoom * Math.exp(-turned), 1), limit) : zoom;
        const moved = event.ctrlKey ? ((left + at) * next) / zoom - at : left + across;
        return { zoom: next, left: Math.min(Math.max(moved, 0), wide * (next - 1)) };
      });
    };
    target.addEventListener("wheel", wheel, { passive: false });
    return () => target.removeEventListener("wheel", wheel);
  }, [track]);

  // The frame that is looked at stays in sight; the strip is drawn anew only where it has to move for that.
  useEffect(
    () =>
      useBench.subscribe(({ frame }, before) => {
        if (frame === before.frame) return;
        setSeen((now) => {
          if (now.zoom === 1) return now;
          const { width: wide } = latest.current;
          const x = ((frame - plate.first + 0.5) / plate.count) * wide * now.zoom;
          if (x >= now.left && x <= now.left + wide) return now;
          return { ...now, left: Math.min(Math.max(x - wide / 2, 0), wide * (now.zoom - 1)) };
        });
      }),
    [plate],
  );
  return seen;
}
