import { toast } from "sonner";

import { api, data, say, type Copied } from "../api/client";
import { bench } from "../state/bench";
import { coverOf, outlineOf, shapeOf } from "../state/lookups";
import { rowsOf } from "./proposals";
import { make, send } from "./send";
import { PointRow } from "../shapes/shape";

const PLACE = "wise-glove-copied";
/** By how much a copy lies beside what it is one of, in pixels. */
const BESIDE: [number, number] = [12, 12];

/** What was copied: a cover or an outline with all of its keys, and the shape of a frame. */
interface Clip {
  what: Copied;
  shape: PointRow[] | null;
  shot: string;
}

/** Copy the active outline (or with nothing chosen in it its whole cover), kept for other shots and pages too. */
export async function copyChosen() {
  const b = bench();
  const outline = outlineOf(b, b.active);
  const cover = coverOf(b, b.selected);
  if (!b.shot || !cover) return;
  const one = outline && cover.outlines.length > 1 ? outline.id : cover.id;
  const shape = outline ? shapeOf(b, outline.id, b.frame) : null;
  try {
    const params = { path: { shot_id: b.shot.id, element: one } };
    const what = await data<Copied>(api.GET("/api/shots/{shot_id}/copies/{element}", { params }));
    const clip: Clip = { what, shape: shape && rowsOf(shape), shot: b.shot.id };
    localStorage.setItem(PLACE, JSON.stringify(clip));
    toast(
      `Copied ${cover.name}. Ctrl+V pastes it, Ctrl+Shift+V its shape on frame ${b.frame} as a key of what is selected.`,
    );
  } catch (error) {
    say(error);
  }
}

function held(): Clip | null {
  try {
    return JSON.parse(localStorage.getItem(PLACE) ?? "null") as Clip | null;
  } catch {
    return null;
  }
}

/** Paste what was copied as a cover of its own; in another shot its first key comes to this frame. */
export async function paste() {
  const clip = held();
  const { shot, frame } = bench();
  if (!clip || !shot) return void toast("Nothing has been copied yet. Ctrl+C copies what is selected.");
  const elsewhere = clip.shot !== shot.id;
  const where = elsewhere ? { frame } : { offset: BESIDE };
  await make({ type: "paste", what: clip.what, ...where });
}

/** Paste what was copied as further outlines of a cover. */
export async function pasteInto(cover: string) {
  const clip = held();
  if (!clip) return void toast("Nothing has been copied yet. Ctrl+C copies what is selected.");
  const elsewhere = clip.shot !== bench().shot?.id;
  await send({
    type: "paste",
    what: clip.what,
    into: cover,
    ...(elsewhere ? { frame: bench().frame } : {}),
  });
}

/** Paste the copied shape as a key of the active outline on this frame. */
export async function pasteKey() {
  const clip = held();
  const { active, frame } = bench();
  if (!clip?.shape) return void toast("No shape has been copied yet. Ctrl+C copies that of this frame.");
  if (!outlineOf(bench(), active))
    return void toast("Select the outline that is to get the key, then paste.");
  await send({ type: "set-keys", outline: active!, shapes: { [frame]: clip.shape } });
}

/** A second cover like the selected one. */
export async function duplicate() {
  const { selected } = bench();
  if (!coverOf(bench(), selected)) return;
  await make({ type: "duplicate", cover: selected!, offset: BESIDE });
}
