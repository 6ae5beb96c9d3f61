import { bench } from "../state/bench";
import { ToolName } from "../state/slices/tools";
import { tracing } from "./trace";
import { setBench } from "../state/bench";

/** Tools that draw no outline, so that nothing of a carrier is drawn with them. */
const NOT_DRAWING = new Set<ToolName>(["select", "pane", "byhand", "points", "joint", "sample"]);

/** Take up a tool; a draft that is under way is given up. What a carrier gets can be drawn with any drawing tool. */
export function takeTool(tool: ToolName) {
  if (tracing.isUnderWay) tracing.drop();
  const { into } = bench();
  const kept = into && "carrier" in into && !NOT_DRAWING.has(tool) ? into : null;
  setBench({ tool, draft: null, fitting: null, into: kept, playing: false });
}

/** Begin to draw a patch or a blind spot of a carrier, or the patch of a new one, as a box until another tool is taken. */
export function drawRegion(carrier: string | null, what: "patch" | "blind") {
  takeTool("box");
  setBench({ into: { carrier, what } });
}

/** Begin to drag the line beyond which the active outline rides on another carrier. */
export function drawJoint(carrier: string) {
  takeTool("joint");
  setBench({ into: { joint: carrier } });
}
