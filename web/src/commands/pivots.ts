import { api, data } from "../api/client";
import { middleOf } from "../shapes/affine";
import type { Shape } from "../shapes/shape";
import { bench, setBench } from "../state/bench";
import { outlineOf } from "../state/lookups";
import type { Has } from "../state/types";

type Place = [number, number];
const MOST = 500;
/** What has been asked for, by outline, frame and revision. */
const asked = new Set<string>();

/** Where an outline turns about on a frame; asks the server where a pivot was put. */
export function pivotOf(b: Has<"shot" | "pivots">, frame: number, element: string, shape: Shape): Place {
  const { shot } = b;
  if (!shot || !outlineOf(b, element)?.pivot) return middleOf(shape);
  const key = `${element} ${frame} ${shot.revision}`;
  const found = b.pivots.get(key);
  if (!found && !asked.has(key)) void ask(key, shot.id, element, frame);
  return found ?? middleOf(shape);
}

async function ask(key: string, shot_id: string, outline: string, frame: number) {
  asked.add(key);
  try {
    const { x, y } = await data<{ x: number; y: number }>(
      api.GET("/api/shots/{shot_id}/pivots/{outline}/{frame}", {
        params: { path: { shot_id, outline, frame } },
      }),
    );
    const kept = [...bench().pivots].slice(-MOST);
    setBench({ pivots: new Map([...kept, [key, [x, y]]]) });
  } catch {
    asked.delete(key);
  }
}
