import { tracing } from "../commands/trace";
import { bench } from "../state/bench";
import { subjectOf } from "../state/lookups";

/** One line on what a click, a drag and the modifiers do just now. */
export function hint(): string {
  const { tool, draft, active, shot, fitting, framed, into, shaping, selected, look } = bench();
  if (look === "flat")
    return "The pane unrolled and held still, only to look at · 1 to 5 show the plate again";
  if (into && "carrier" in into && !draft)
    return `Draw ${into.what === "patch" ? "where the carrier looks" : "where it must not look"} · ${tool === "box" ? "drag a box, or click each corner · " : ""}any drawing tool will do · Escape gives up`;
  if (tool === "pen") {
    if (!draft || draft.points.length === 0)
      return "Click for a corner · drag for a smooth point · Alt drags one handle";
    if (draft.points.length < 3)
      return "Go on clicking or dragging · Backspace takes a point back · Escape gives up";
    return "Close on the first point or with Enter · Backspace takes a point back · Escape gives up";
  }
  if (tool === "points")
    return "Click what is to be followed, as a corner or a spot · drag a point or its squares · Escape when they are all there";
  if (into && ("depthOf" in into || "level" in into))
    return "Click the place in the picture · Escape gives up";
  if (tool === "sample")
    return "Drag over the backing near the subject's edge · once more adds a sample · Escape when it is enough";
  if (tool === "joint")
    return "Drag a line across where it bends · what lies to the right of the way you drag goes with the other carrier";
  if (tool === "byhand")
    return `Click four corners of what moves, ${4 - (draft?.points.length ?? 0)} to go · Escape gives up`;
  if (tool === "pane")
    return `Click the screen's corners, ${4 - (draft?.points.length ?? 0)} to go · Escape gives up`;
  if (tool === "freehand")
    return "Drag a loop around the thing · it closes where you let go · Escape gives up";
  if (tool === "trace") {
    if (fitting) return "Fewer points or closer: drag the slider · Enter keeps it · Escape gives it up";
    if (!tracing.isUnderWay) return "Click on the edge to begin · the line follows it to the pointer";
    return "Click pins the line · Shift draws freely, so does a drag · Backspace takes a pin back · Enter or the first pin closes";
  }
  if (tool === "finger") return "Drag from the knuckle to the tip · the wheel makes it slimmer or wider";
  if (tool !== "select")
    return `Drag the ${tool} · Shift keeps it even · Alt draws it from its centre · Escape gives up`;
  if (subjectOf(bench(), selected) && !active)
    return "Hold V to see the plate as it was · Y samples more of the backing · 2 the matte, 4 all together";
  if (!active) return "Click a cover or a pane to select it · P draws an outline · N places a pane";
  if (shaping)
    return "Drag a point of it, or the whole from inside · on other frames than its own it gets keys · Escape when it is done";
  if (shot?.elements[active]?.kind === "carrier")
    return "Drag a corner or the whole: a correction where it is solved, a stitch of a bridge where it is not";
  if (["pane", "subject"].includes(shot?.elements[active]?.kind ?? ""))
    return "Drag a corner, an edge, or the whole from inside · arrows nudge · a key is set on this frame";
  if (framed)
    return "Drag a grip to scale (Shift keeps proportion, Alt from the pivot, Ctrl shears) · outside a corner to turn · the ring is the pivot";
  return "Drag a point to move it · Ctrl pulls a soft edge out of it · drag between points to bend · from inside, the whole · Alt breaks a handle · double-click adds a point";
}
