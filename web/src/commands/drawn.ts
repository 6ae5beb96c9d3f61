import { toast } from "sonner";
import { bench } from "../state/bench";
import { Edit, PointKind } from "../api/client";
import { setBench } from "../state/bench";
import { make } from "./send";
import { Into } from "../state/slices/tools";
import { rowOf } from "../shapes/shape";

/** Finish the outline that the pen draws. */
export function closePen() {
  const { draft } = bench();
  if (!draft || draft.kind !== "pen") return;
  if (draft.points.length < 3) {
    toast("An outline needs at least three points. Go on clicking, or press Escape to give it up.");
    return;
  }
  add({ points: draft.points, kinds: draft.kinds });
}

/** Send a drawn outline, as a new cover or into the chosen one, and select it. */
export function add(outline: { points: number[][]; kinds: PointKind[] }, name?: string) {
  const { into, frame } = bench();
  if (into && "carrier" in into) return addRegion(into, outline.points);
  const drawn = { kinds: outline.kinds, points: outline.points.map(rowOf) };
  const edit: Edit =
    into && "cover" in into
      ? { type: "add-outline", cover: into.cover, mode: into.mode, frame, outline: drawn }
      : { type: "add-cover", frame, outline: drawn, ...(name ? { name } : {}) };
  setBench({ draft: null, fitting: null, into: null, tool: "select" });
  void make(edit);
}

/** Send what was drawn for a carrier, and select the carrier. */
function addRegion(into: Extract<Into, { carrier: string | null }>, points: number[][]) {
  const { frame } = bench();
  setBench({ draft: null, fitting: null, into: null, tool: "select" });
  const rows = points.map(rowOf);
  const edit: Edit = into.carrier
    ? { type: "add-region", carrier: into.carrier, what: into.what, frame, points: rows }
    : { type: "add-carrier", frame, patch: rows };
  void make(edit);
}
