import { toast } from "sonner";

import { api, data, say, type ChangeOf, type Edit, type Pane, type TrueProportions } from "../api/client";
import { bench, setBench } from "../state/bench";
import { toUnit } from "../shapes/quad";
import { paneOf, shapeOf } from "../state/lookups";
import { send } from "./send";

export type PaneChange = ChangeOf<"set-pane", "pane">;
export type SitIn = Pane["sit"];
export type RowName = Exclude<keyof SitIn, "clean">;

const edit = (pane: Pane, change: PaneChange): Edit => ({ type: "set-pane", pane: pane.id, ...change });

/** Keep a change of a pane. What was tried stays in the picture until the answer is there. */
export function setPane(pane: Pane, change: PaneChange) {
  return send(edit(pane, change)).finally(() => setBench({ trial: null }));
}

/** Show a change without keeping it; null shows what is kept. */
export function tryPane(pane: Pane, change: PaneChange | null) {
  setBench({ trial: change && JSON.stringify(edit(pane, change)) });
}

/** A pane's sitting with some of a row changed. */
export function withRow<Row extends RowName>(pane: Pane, row: Row, change: Partial<SitIn[Row]>): PaneChange {
  return { sit: { ...pane.sit, [row]: { ...pane.sit[row], ...change } } as PaneChange["sit"] };
}

/** The number at a path of a pane, as it is without keys. */
export function numberOf(pane: Pane, path: string): number {
  return path.split(".").reduce<unknown>((of, name) => (of as never)[name], pane) as number;
}

/** A change of the number at a path that has no keys. */
function numberChange(pane: Pane, path: string, value: number): PaneChange {
  const [part, ...rest] = path.split(".");
  const put = (of: Record<string, unknown>, names: string[]): Record<string, unknown> => ({
    ...of,
    [names[0]!]: names.length > 1 ? put(of[names[0]!] as Record<string, unknown>, names.slice(1)) : value,
  });
  const whole = pane[part as keyof Pane] as unknown;
  return { [part!]: rest.length ? put(whole as Record<string, unknown>, rest) : value } as PaneChange;
}

/** Keep a number: as a key on this frame where it has keys, else for all frames. */
export function setNumber(pane: Pane, path: string, value: number) {
  if (!pane.values[path]?.length) return setPane(pane, numberChange(pane, path, value));
  return keyNumber(pane, path, value);
}

/** Show a number without keeping it. */
export function tryNumber(pane: Pane, path: string, value: number | null) {
  if (value === null) return tryPane(pane, null);
  if (!pane.values[path]?.length) return tryPane(pane, numberChange(pane, path, value));
  const { frame } = bench();
  setBench({ trial: JSON.stringify({ type: "set-value", pane: pane.id, path, frame, value }) });
}

/** Set a key of a number on this frame; null takes it away. */
export function keyNumber(pane: Pane, path: string, value: number | null) {
  const { frame } = bench();
  return send({ type: "set-value", pane: pane.id, path, frame, value, ease: "smooth" }).finally(() =>
    setBench({ trial: null }),
  );
}

/** Let the plate tell how the picture should sit in it, and keep that. */
export async function sitIn(pane: Pane) {
  try {
    const { sit, unknown } = await data<{ sit: SitIn; unknown: string[] }>(
      api.GET("/api/shots/{shot_id}/panes/{pane}/sitting", {
        params: { path: { shot_id: bench().shot!.id, pane: pane.id } },
      }),
    );
    await setPane(pane, { sit: sit as PaneChange["sit"] });
    setBench({ look: "composite" });
    for (const sentence of unknown) toast(sentence, { duration: 9000 });
  } catch (error) {
    say(error);
  }
}

/** Begin to pick a place of the plate for a pane's level. */
export function beginPick(pane: Pane, standsFor: "dark" | "light" | "grey", shown: number) {
  setBench({ tool: "sample", look: "plate", playing: false, into: { level: pane.id, standsFor, shown } });
}

/** Begin to pick where a pane's depth blur is as sharp (or soft) as one of its two values says. */
export function beginDepth(pane: Pane, end: "here" | "there") {
  setBench({ tool: "sample", playing: false, into: { depthOf: pane.id, end } });
}

/** Take a picked place into a pane's depth blur: as a place of the pane, so that it rides along. */
export function pickDepth(into: { depthOf: string; end: "here" | "there" }, x: number, y: number) {
  const b = bench();
  const pane = paneOf(b, into.depthOf);
  const corners = shapeOf(b, into.depthOf, b.frame);
  const place = corners && toUnit(corners)?.(x, y);
  setBench({ into: null, tool: "select" });
  if (!pane) return;
  if (!place)
    return void toast(
      "The pane is folded over on this frame, so no place of it can be told. Pick on another frame.",
    );
  const other = pane.sit.depth[into.end === "here" ? "there" : "here"];
  if (Math.hypot(place[0] - other[0], place[1] - other[1]) < 0.02)
    return void toast(
      "Both places are the same, so there is no way from one to the other. Pick one farther away.",
    );
  void setPane(pane, withRow(pane, "depth", { [into.end]: place }));
}

/** Take a picked place into a pane's level. */
export async function pickLevel(
  into: { level: string; standsFor: "dark" | "light" | "grey"; shown: number },
  x: number,
  y: number,
) {
  const { shot, frame } = bench();
  const pane = paneOf(bench(), into.level);
  if (!shot || !pane) return;
  setBench({ into: null, tool: "select", look: "composite" });
  try {
    const level = await data<SitIn["level"]>(
      api.POST("/api/shots/{shot_id}/panes/{pane}/level", {
        params: { path: { shot_id: shot.id, pane: pane.id } },
        body: { frame, x, y, stands_for: into.standsFor, shown: into.shown },
      }),
    );
    await setPane(pane, withRow(pane, "level", level));
  } catch (error) {
    say(error);
  }
}

/** The true proportions of a pane by its motion, kept; where it does not tell them the reason is said. */
export async function takeProportions(pane: Pane) {
  try {
    const found = await data<TrueProportions>(
      api.GET("/api/shots/{shot_id}/panes/{pane}/proportions", {
        params: { path: { shot_id: bench().shot!.id, pane: pane.id } },
      }),
    );
    await setPane(pane, { aspect: found.aspect });
    if (found.remark) say(found.remark);
    return found;
  } catch (error) {
    say(error);
    return null;
  }
}
