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

/** What is in sight: independent of the strip's width, so that it holds when a panel opens beside it. */
interface Sight {
  zoom: number;
  /** Where it begins, as a share of all frames. */
  from: number;
}

const within = (zoom: number, from: number): Sight => ({
  zoom,
  from: Math.min(Math.max(from, 0), 1 - 1 / zoom),
});

/** The strip zoomed at the pointer by the wheel with Ctrl (or a pinch), and scrolled by Shift or sideways. */
export function useStripZoom(track: RefObject<HTMLElement | null>, width: number, plate: Plate): Window {
  const [sight, setSight] = useState<Sight>({ zoom: 1, from: 0 });
  const wide = Math.max(width, 1);
  const most = Math.max((WIDEST * plate.count) / wide, 1);
  const latest = useRef({ wide, most });
  latest.current = { wide, most };

  useEffect(() => {
    const target = track.current!;
    const wheel = (event: WheelEvent) => {
      const across = event.shiftKey ? event.deltaY || event.deltaX : event.deltaX;
      if (!event.ctrlKey && !across) return;
      event.preventDefault();
      const { wide: pixels, most: limit } = latest.current;
      const at = (event.clientX - target.getBoundingClientRect().left) / pixels;
      const turned = event.deltaY * (event.deltaMode === 1 ? 0.05 : 0.003);
      setSight(({ zoom, from }) => {
        if (!event.ctrlKey) return within(zoom, from + across / pixels / zoom);
        const next = Math.min(Math.max(zoom * Math.exp(-turned), 1), limit);
        return within(next, from + at / zoom - at / next);
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
        setSight((now) => {
          const at = (frame - plate.first + 0.5) / plate.count;
          if (at >= now.from && at <= now.from + 1 / now.zoom) return now;
          return within(now.zoom, at - 0.5 / now.zoom);
        });
      }),
    [plate],
  );
  return { zoom: sight.zoom, left: sight.from * wide * sight.zoom };
}
