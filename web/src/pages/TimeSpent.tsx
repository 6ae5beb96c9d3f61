import { useEffect, useRef, useState } from "react";

import { api, data, type TimeSpent as Spent } from "../api/client";

/** Seconds without a hand on mouse or keys after which nobody is taken to be at work. */
const REST = 20;
/** Seconds between two times at which the server is told. */
const OFTEN = 30;

/** For how long hands were on the shot, against what it should take; it is counted here and stays on the server. */
export function TimeSpent({ shot }: { shot: string }) {
  const [time, setTime] = useState<Spent | null>(null);
  const unsaid = useRef(0);
  useEffect(() => {
    let lately = -Infinity;
    const touched = () => {
      lately = performance.now();
    };
    const tell = () => {
      const seconds = Math.min(unsaid.current, 120);
      unsaid.current = 0;
      data<Spent>(
        api.POST("/api/shots/{shot_id}/time", { params: { path: { shot_id: shot } }, body: { seconds } }),
      )
        .then(setTime)
        .catch(() => {
          unsaid.current += seconds;
        });
    };
    const second = setInterval(() => {
      if (performance.now() - lately < REST * 1000) unsaid.current += 1;
      if (unsaid.current >= OFTEN) tell();
    }, 1000);
    tell();
    for (const event of ["pointerdown", "pointermove", "keydown", "wheel"])
      addEventListener(event, touched, { passive: true });
    return () => {
      clearInterval(second);
      for (const event of ["pointerdown", "pointermove", "keydown", "wheel"])
        removeEventListener(event, touched);
      if (unsaid.current > 0) tell();
    };
  }, [shot]);
  if (!time) return null;
  const minutes = Math.round(time.seconds / 60);
  return (
    <span
      className="text-[13px] whitespace-nowrap text-ink-soft"
      title="Minutes that hands were on this shot, and that it should take"
    >
      {minutes} of {Math.round(time.budget / 60)} min
    </span>
  );
}
