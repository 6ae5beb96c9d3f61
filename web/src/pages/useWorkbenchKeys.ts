import { useEffect } from "react";
import { useHotkeys } from "react-hotkeys-hook";
import { toast } from "sonner";

import type { Edit } from "../api/client";
import { closePen } from "../viewer/draw";
import { grownSelection } from "../viewer/selecting";
import { reached, reshape } from "../viewer/tools";
import { backTrace, closeTrace, dropTrace, isTracing } from "../commands/trace";
import { count, moved } from "../shapes/shape";
import { useView } from "../state/view";
import { bench, chosenCovers, goTo, keyFrames, outlineOf, setBench, shapeOf } from "../state/bench";
import { doubts } from "../state/carriers";
import { copyChosen, duplicate, paste, pasteKey } from "../commands/clipboard";
import { LOOKS } from "../viewer/LookBar";
import { dropProposal, keepProposal, proposeSnap } from "../commands/proposals";
import { redo, send, undo } from "../commands/send";
import { pickReach, REACHES } from "../strip/FrameStrip";
import { drawRegion, takeTool } from "../panels/ToolRail";

/** To the key before (-1) or after (1) this frame: of what is selected, else of everything. */
export function goToKey(way: -1 | 1, asked: number) {
  const b = bench();
  const ids = b.active ? [b.active] : Object.keys(b.tracks);
  const frames = ids.flatMap((id) => keyFrames(b, id));
  const beyond = frames.filter((f) => (f - b.frame) * way > 0);
  if (beyond.length) goTo(way > 0 ? Math.min(...beyond) : Math.max(...beyond), asked);
}

/** To the frame that needs a look most; from there to the next worst. */
export function goToWorst(asked: number) {
  const frames = doubts(bench()).map((d) => d.frame);
  if (frames.length === 0) return void toast("No frame needs a look.");
  setBench({ playing: false });
  goTo(frames[(frames.indexOf(bench().frame) + 1) % frames.length]!, asked);
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
function stepBack() {
  const { draft } = bench();
  if (isTracing()) return backTrace();
  if (!draft) return;
  const points = draft.points.slice(0, -1);
  setBench({ draft: points.length ? { ...draft, points, kinds: draft.kinds.slice(0, -1) } : null });
}

/** Move the chosen points (or the whole, where none is chosen) by plate pixels. */
function nudge(dx: number, dy: number) {
  const b = bench();
  const covers = chosenCovers(b);
  if (covers.length > 1) return void send({ type: "shift-covers", covers, dx, dy, ...reached() } as Edit);
  const shape = b.active ? shapeOf(b, b.active, b.frame) : null;
  if (!b.active || !shape || b.tool !== "select") return;
  const indices = b.points.size ? b.points : Array.from({ length: count(shape) }, (_, i) => i);
  reshape(b.active, (s) => moved(s, indices, dx, dy));
}

function escape() {
  const { draft, into, points, keys, tool, proposal, fitting, framed, shaping } = bench();
  if (proposal || fitting) dropProposal();
  else if (isTracing()) dropTrace();
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
function chooseAll() {
  const { active } = bench();
  const n = outlineOf(bench(), active)?.kinds.length ?? 0;
  if (n) setBench({ points: new Set(Array.from({ length: n }, (_, i) => i)) });
}

/** Put the chosen covers into a group. */
export function groupChosen() {
  const covers = chosenCovers(bench());
  if (covers.length) void send({ type: "group-covers", covers });
}

const ARROWS: Record<string, [number, number]> = {
  ArrowLeft: [-1, 0],
  ArrowRight: [1, 0],
  ArrowUp: [0, -1],
  ArrowDown: [0, 1],
};

/** Time under the left hand, everything else where the sheet of keys says. */
export function useWorkbenchKeys() {
  useHotkeys("a, shift+a, d, shift+d", (event) => {
    const way = event.code === "KeyA" ? -1 : 1;
    setBench({ playing: false });
    goTo(bench().frame + way * (event.shiftKey ? 10 : 1), event.timeStamp);
  });
  useHotkeys("q", (event) => goToKey(-1, event.timeStamp));
  useHotkeys("e", (event) => goToKey(1, event.timeStamp));
  useHotkeys("w", (event) => goToWorst(event.timeStamp));
  useHotkeys("s", () => takeTool("select"));
  useHotkeys("p", () => takeTool("pen"));
  useHotkeys("n", () => takeTool("pane"));
  useHotkeys("t", () => takeTool("trace"));
  useHotkeys("y", () => takeTool("sample"));
  useHotkeys("m", () => drawRegion(null, "patch"));
  useHotkeys("x", () => setBench({ framed: !bench().framed, tool: "select" }));
  useHotkeys("j", () => void proposeSnap());
  useHotkeys("mod+a", chooseAll, { preventDefault: true });
  useHotkeys("period, comma", (event) => {
    const { active, points } = bench();
    const n = outlineOf(bench(), active)?.kinds.length;
    if (n) setBench({ points: grownSelection(points, n, event.code === "Period" ? 1 : -1) });
  });
  useHotkeys("mod+c", () => void copyChosen());
  useHotkeys("mod+v", () => void paste());
  useHotkeys("mod+shift+v", () => void pasteKey(), { preventDefault: true });
  useHotkeys("mod+d", () => void duplicate(), { preventDefault: true });
  useHotkeys("mod+g", groupChosen, { preventDefault: true });
  useHotkeys("l", () => takeTool("freehand"));
  useHotkeys("c", () => takeTool("ellipse"));
  useHotkeys("b", () => takeTool("box"));
  useHotkeys("g", () => takeTool("finger"));
  useHotkeys("o", () => setBench({ onion: !bench().onion }));
  useHotkeys("r", () => {
    const order = REACHES.map((r) => r.value);
    pickReach(order[(order.indexOf(bench().reach) + 1) % order.length]!);
  });
  useHotkeys("k", () => {
    const { active, frame } = bench();
    if (active) void send({ type: "set-key", element: active, frame } as Edit);
  });
  useHotkeys("1, 2, 3, 4, 5, 6", (event) => setBench({ look: LOOKS[Number(event.key) - 1]!.name }));
  useHotkeys("f", () => useView.getState().fit());
  useHotkeys("0", () => useView.getState().zoomTo(1));
  useHotkeys("enter", () => {
    const { proposal, fitting } = bench();
    if (proposal || fitting) void keepProposal();
    else if (isTracing()) closeTrace();
    else closePen();
  });
  useHotkeys("escape", escape);
  useHotkeys("delete, backspace", deleteChosen, { preventDefault: true });
  useHotkeys("mod+z", () => (bench().draft ? stepBack() : void undo()), { preventDefault: true });
  useHotkeys("mod+shift+z, mod+y", () => void redo(), { preventDefault: true });
  useHotkeys(
    Object.keys(ARROWS).flatMap((key) => [key, `shift+${key}`, `alt+${key}`]),
    (event) => {
      const step = event.shiftKey ? 10 : event.altKey ? 0.1 : 1;
      const [dx, dy] = ARROWS[event.key]!;
      nudge(dx * step, dy * step);
    },
    { preventDefault: true },
  );
  useHeldKeys();
}

/** H hides the drawing and V shows the plate while they are held; Space pans while it is held with the mouse, and plays when it is tapped. */
function useHeldKeys() {
  useEffect(() => {
    let dragged = false;
    const typing = (event: KeyboardEvent) => {
      const target = event.target as HTMLElement;
      return target.closest("input, textarea, [contenteditable], [role=listbox]") !== null;
    };
    const down = (event: KeyboardEvent) => {
      if (typing(event)) return;
      if (event.code === "KeyH" && !event.ctrlKey && !event.metaKey) setBench({ drawingHidden: true });
      if (event.code === "KeyV" && !event.ctrlKey && !event.metaKey) setBench({ before: true });
      if (event.code === "Space") {
        event.preventDefault();
        if (!event.repeat) {
          dragged = false;
          setBench({ spaceHeld: true });
        }
      }
    };
    const up = (event: KeyboardEvent) => {
      if (event.code === "KeyH") setBench({ drawingHidden: false });
      if (event.code === "KeyV") setBench({ before: false });
      if (event.code === "Space" && bench().spaceHeld) {
        event.preventDefault();
        setBench({ spaceHeld: false });
        if (!dragged && !typing(event)) setBench({ playing: !bench().playing });
      }
    };
    const pressed = () => {
      dragged = true;
    };
    // A button that was clicked does not keep the keys: Space plays and Enter keeps, whatever was pressed last.
    const clicked = (event: MouseEvent) => {
      const button = (event.target as HTMLElement).closest?.("button");
      if (event.detail > 0 && button) button.blur();
    };
    const lost = () => setBench({ spaceHeld: false, drawingHidden: false, before: false });
    window.addEventListener("keydown", down);
    window.addEventListener("keyup", up);
    window.addEventListener("pointerdown", pressed);
    window.addEventListener("click", clicked);
    window.addEventListener("blur", lost);
    return () => {
      window.removeEventListener("keydown", down);
      window.removeEventListener("keyup", up);
      window.removeEventListener("pointerdown", pressed);
      window.removeEventListener("click", clicked);
      window.removeEventListener("blur", lost);
    };
  }, []);
}
