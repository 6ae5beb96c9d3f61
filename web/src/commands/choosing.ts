import { bench } from "../state/bench";
import { chosenCovers, keyFrames, outlineOf, shapeOf } from "../state/lookups";
import { goTo, setBench } from "../state/bench";
import { doubts } from "../state/carriers";
import { toast } from "sonner";
import { send } from "./send";
import { tracing } from "./trace";
import { reached, reshape } from "./shaping";
import { worksAhead } from "../state/ahead";
import { count, moved } from "../shapes/shape";
import { goToDoubt } from "./reviewing";
import { dropProposal } from "./proposals";
import { takeTool } from "./tools";

/** To the key before (-1) or after (1) this frame: of what is selected, else of everything. */
export function goToKey(way: -1 | 1, asked: number) {
  const b = bench();
  const ids = b.active ? [b.active] : Object.keys(b.tracks);
  const frames = ids.flatMap((id) => keyFrames(b, id));
  const beyond = frames.filter((f) => (f - b.frame) * way > 0);
  if (beyond.length) goTo(way > 0 ? Math.min(...beyond) : Math.max(...beyond), asked);
}

/** To the frame that needs a look most, and what it is about; from there to the next worst (1), or back (-1). */
export function goToWorst(way: 1 | -1, asked?: number) {
  const found = doubts(bench());
  if (found.length === 0)
    return void toast(
      worksAhead()
        ? "No frame needs a look."
        : "Nothing is known to be off; outlines are not judged by themselves (Ctrl+K, “Work ahead”).",
    );
  const here = found.findIndex((d) => d.frame === bench().frame);
  const next = here < 0 ? 0 : (here + way + found.length) % found.length;
  goToDoubt(found[next]!.frame, found[next]!.about, asked);
}

/** Delete what is chosen: keys on the strip, else points, else the cover or pane. */
export function deleteChosen() {
  const { keys, points, active, selected, draft, shot } = bench();
  if (draft) return stepBack();
  if (keys && keys.frames.size)
    return void send({ type: "delete-keys", element: keys.element, frames: [...keys.frames] });
  if (!selected || !active) return;
  const outline = shot?.elements[active]?.kind === "outline";
  if (outline && points.size)
    return void send({ type: "remove-points", outline: active, indices: [...points] }).then(
      (change) => change && setBench({ points: new Set() }),
    );
  void send({ type: "delete", element: selected });
}

/** Take back the last point of what is being drawn. */
export function stepBack() {
  const { draft } = bench();
  if (tracing.isUnderWay) return tracing.back();
  if (!draft) return;
  const points = draft.points.slice(0, -1);
  setBench({ draft: points.length ? { ...draft, points, kinds: draft.kinds.slice(0, -1) } : null });
}

/** Move the chosen points (or the whole, where none is chosen) by plate pixels. */
export function nudge(dx: number, dy: number) {
  const b = bench();
  const covers = chosenCovers(b);
  if (covers.length > 1) return void send({ type: "shift-covers", covers, dx, dy, ...reached() });
  const shape = b.active ? shapeOf(b, b.active, b.frame) : null;
  if (!b.active || !shape || b.tool !== "select") return;
  const indices = b.points.size ? b.points : Array.from({ length: count(shape) }, (_, i) => i);
  reshape(b.active, (s) => moved(s, indices, dx, dy));
}

/** Let go of what is under way, else of what is chosen: one thing at a time. */
export function letGo() {
  const { draft, into, points, keys, tool, proposal, fitting, framed, shaping, starting } = bench();
  if (proposal || fitting || starting) dropProposal();
  else if (tracing.isUnderWay) tracing.drop();
  else if (draft) setBench({ draft: null });
  else if (into) setBench({ into: null, tool: "select" });
  else if (tool !== "select") takeTool("select");
  else if (keys) setBench({ keys: null });
  else if (points.size) setBench({ points: new Set() });
  else if (shaping) setBench({ shaping: null });
  else if (framed) setBench({ framed: false });
  else setBench({ selected: null, active: null });
}

/** All points of the active outline. */
export function chooseAll() {
  const { active } = bench();
  const n = outlineOf(bench(), active)?.kinds.length ?? 0;
  if (n) setBench({ points: new Set(Array.from({ length: n }, (_, i) => i)) });
}

/** Move the keys that are chosen on a lane by some frames. */
export function turnKeysBy(element: string, by: number) {
  const { keys, frame } = bench();
  const frames = keys?.element === element ? [...keys.frames] : [];
  if (frames.length === 0) return;
  void send({ type: "move-keys", element, frames, by }).then((change) => {
    if (!change) return;
    setBench({ keys: { element, frames: new Set(frames.map((f) => f + by)) } });
    if (frames.includes(frame)) goTo(frame + by);
  });
}

/** Put the chosen covers into a group. */
export function groupChosen() {
  const covers = chosenCovers(bench());
  if (covers.length) void send({ type: "group-covers", covers });
}
