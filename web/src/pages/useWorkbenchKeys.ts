import { toggleDivider } from "../commands/divider";
import { useEffect } from "react";
import { useHotkeys } from "react-hotkeys-hook";

import { useView } from "../state/view";
import { bench, goTo, setBench } from "../state/bench";
import { outlineOf } from "../state/lookups";
import { copyChosen, duplicate, paste, pasteKey } from "../commands/clipboard";
import { keepProposal, proposeSnap } from "../commands/proposals";
import { proposeStarters } from "../commands/starting";
import { redo, send, undo } from "../commands/send";
import {
  chooseAll,
  deleteChosen,
  goToKey,
  goToWorst,
  groupChosen,
  letGo,
  nudge,
  stepBack,
} from "../commands/choosing";
import { drawRegion, takeTool } from "../commands/tools";
import { grownSelection } from "../shapes/selection";
import { pickReach, REACHES } from "../commands/reach";
import { LOOKS } from "../state/looks";
import { tracing } from "../commands/trace";
import { closePen } from "../commands/drawn";

const ARROWS: Record<string, [number, number]> = {
  ArrowLeft: [-1, 0],
  ArrowRight: [1, 0],
  ArrowUp: [0, -1],
  ArrowDown: [0, 1],
};

/** What has keys of its own while it has the focus (a row that can be lifted, say) keeps them. */
const ownsKeys = (event: KeyboardEvent) =>
  (event.target as HTMLElement | null)?.closest?.("[data-own-keys]") != null;
/** Likewise the arrows of what the Tab key has led to; after a click they go on moving what is chosen in the picture. */
const ownsArrows = (event: KeyboardEvent) =>
  ownsKeys(event) ||
  (event.target as HTMLElement | null)?.matches?.("[data-own-arrows]:focus-visible") === true;
const OTHERS = { ignoreEventWhen: ownsKeys };

/** Time under the left hand, everything else where the sheet of keys says. */
export function useWorkbenchKeys() {
  useHotkeys("a, shift+a, d, shift+d", (event) => {
    const way = event.code === "KeyA" ? -1 : 1;
    setBench({ playing: false });
    goTo(bench().frame + way * (event.shiftKey ? 10 : 1), event.timeStamp);
  });
  useHotkeys("q", (event) => goToKey(-1, event.timeStamp));
  useHotkeys("e", (event) => goToKey(1, event.timeStamp));
  useHotkeys("w, shift+w", (event) => goToWorst(event.shiftKey ? -1 : 1, event.timeStamp));
  useHotkeys("s", () => takeTool("select"));
  useHotkeys("p", () => takeTool("pen"));
  useHotkeys("n", () => takeTool("pane"));
  useHotkeys("t", () => takeTool("trace"));
  useHotkeys("y", () => takeTool("sample"));
  useHotkeys("m", () => drawRegion(null, "patch"));
  useHotkeys("x", () => setBench({ framed: !bench().framed, tool: "select" }));
  useHotkeys("j", () => void proposeSnap());
  useHotkeys("i", () => void proposeStarters());
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
  useHotkeys("u", toggleDivider);
  useHotkeys("o", () => setBench({ onion: !bench().onion }));
  useHotkeys("r", () => {
    const order = REACHES.map((r) => r.value);
    pickReach(order[(order.indexOf(bench().reach) + 1) % order.length]!);
  });
  useHotkeys("k", () => {
    const { active, frame } = bench();
    if (active) void send({ type: "set-key", element: active, frame });
  });
  useHotkeys("1, 2, 3, 4, 5, 6", (event) => setBench({ look: LOOKS[Number(event.key) - 1]!.name }));
  useHotkeys("f", () => useView.getState().fit());
  useHotkeys("0", () => useView.getState().zoomTo(1));
  useHotkeys(
    "enter",
    () => {
      const { proposal, fitting, starting } = bench();
      if (proposal || fitting || starting) void keepProposal();
      else if (tracing.isUnderWay) tracing.close();
      else closePen();
    },
    OTHERS,
  );
  useHotkeys("escape", letGo, OTHERS);
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
    { preventDefault: true, ignoreEventWhen: ownsArrows },
  );
  useHeldKeys();
}

/** H hides the drawing and V shows the plate while they are held; Space pans while it is held with the mouse, and plays when it is tapped. */
function useHeldKeys() {
  useEffect(() => {
    let dragged = false;
    let byHand = false;
    const typing = (event: KeyboardEvent) => {
      const target = event.target as HTMLElement;
      return target.closest("input, textarea, [contenteditable], [role=listbox]") !== null;
    };
    const down = (event: KeyboardEvent) => {
      byHand = false;
      if (typing(event)) return;
      if (event.code === "KeyH" && !event.ctrlKey && !event.metaKey) setBench({ drawingHidden: true });
      if (event.code === "KeyV" && !event.ctrlKey && !event.metaKey) setBench({ before: true });
      if (event.code === "Space" && !ownsKeys(event)) {
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
      dragged = byHand = true;
    };
    // What was clicked, dragged or chosen by hand does not keep the keys: Space plays and letters do what they always do.
    const letGoOf = (which: string) => {
      const active = document.activeElement as HTMLElement | null;
      if (active?.matches(which)) active.blur();
    };
    const clicked = (event: MouseEvent) => {
      const button = (event.target as HTMLElement).closest("button");
      if (event.detail > 0 && button) button.blur();
      // A label hands its click on to what it names, after this.
      else if (event.detail > 0) setTimeout(() => letGoOf("input[type=range], input[type=checkbox]"));
    };
    const chosen = (event: Event) => {
      if (event.target instanceof HTMLSelectElement && byHand) event.target.blur();
    };
    const lost = () => setBench({ spaceHeld: false, drawingHidden: false, before: false });
    window.addEventListener("keydown", down);
    window.addEventListener("keyup", up);
    window.addEventListener("pointerdown", pressed);
    window.addEventListener("click", clicked);
    window.addEventListener("change", chosen);
    window.addEventListener("blur", lost);
    return () => {
      window.removeEventListener("keydown", down);
      window.removeEventListener("keyup", up);
      window.removeEventListener("pointerdown", pressed);
      window.removeEventListener("click", clicked);
      window.removeEventListener("change", chosen);
      window.removeEventListener("blur", lost);
    };
  }, []);
}
