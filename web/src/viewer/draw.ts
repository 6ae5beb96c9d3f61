import { api, Corners, data, say, type PointKind } from "../api/client";
import { bench, setBench } from "../state/bench";
import type { Draft } from "../state/slices/drag";
import { make } from "../commands/send";
import { started, type Started, type Starter } from "../shapes/starters";
import { toPlate, toScreen, useView } from "../state/view";
import { Gesture, PointerAt } from "./gesture";
import { add, closePen } from "../commands/drawn";
import { takeTool } from "../commands/tools";

const CLOSE_REACH = 11;

/** A press of the pen: a corner, which becomes smooth when it is dragged; on the first point it closes. */
export function beginPen(start: PointerAt): Gesture | null {
  const v = useView.getState();
  const draft: Draft = bench().draft ?? { kind: "pen", points: [], kinds: [], pointer: null };
  const first = draft.points[0];
  if (first && draft.points.length >= 3) {
    const [fx, fy] = toScreen(v, first[0]!, first[1]!);
    if (Math.hypot(fx - start.x, fy - start.y) <= CLOSE_REACH) {
      closePen();
      return null;
    }
  }
  const [x, y] = toPlate(v, start.x, start.y);
  const index = draft.points.length;
  const put = (point: number[], kind: PointKind) =>
    setBench({
      draft: {
        ...draft,
        points: [...draft.points.slice(0, index), point],
        kinds: [...draft.kinds.slice(0, index), kind],
        pointer: null,
      },
    });
  put([x, y, 0, 0, 0, 0], "corner");
  return {
    move: (at) => {
      const to = toPlate(useView.getState(), at.x, at.y);
      const dx = to[0] - x;
      const dy = to[1] - y;
      put(at.alt ? [x, y, 0, 0, dx, dy] : [x, y, -dx, -dy, dx, dy], at.alt ? "free" : "smooth");
    },
    end: (at, travelled) => {
      if (!travelled) put([x, y, 0, 0, 0, 0], "corner");
      setBench({ draft: { ...bench().draft!, pointer: toPlate(useView.getState(), at.x, at.y) } });
    },
  };
}

/** How far, on the screen, a fitted outline may be from the line that was drawn. */
const CLOSENESS = 1.3;

/** Freehand: a loop is drawn, and the server makes an outline with few points of it. */
export function beginFreehand(start: PointerAt): Gesture {
  const line = [toPlate(useView.getState(), start.x, start.y)];
  return {
    move: (at) => {
      line.push(toPlate(useView.getState(), at.x, at.y));
      const points = line.map(([x, y]) => [x, y, 0, 0, 0, 0]);
      setBench({ draft: { kind: "freehand", points, kinds: [], pointer: null } });
    },
    end: (_at, travelled) => {
      if (!travelled) return setBench({ draft: null });
      const body = { line: line.flat(), tolerance: CLOSENESS / useView.getState().zoom };
      data<Started>(api.POST("/api/fit", { body }))
        .then((drawn) => add(drawn))
        .catch((error: unknown) => {
          setBench({ draft: null });
          say(error);
        });
    },
  };
}

/** A starter: one drag makes an outline. */
export function beginStarter(kind: Starter, start: PointerAt): Gesture {
  const [x0, y0] = toPlate(useView.getState(), start.x, start.y);
  let last = start;
  const shape = () => {
    const [x1, y1] = toPlate(useView.getState(), last.x, last.y);
    const { slimness } = bench();
    return started(kind, { x0, y0, x1, y1, even: last.shift, centred: last.alt, slimness });
  };
  const show = () => {
    const made = shape();
    setBench({ draft: made && { kind: "starter", ...made, pointer: null } });
  };
  const wheel = (steps: number) => {
    const wanted = bench().slimness * Math.exp(-steps * 0.001);
    setBench({ slimness: Math.min(Math.max(wanted, 0.08), 0.9) });
    show();
  };
  return {
    move: (at) => {
      last = at;
      show();
    },
    end: (at, travelled) => {
      last = at;
      const { into } = bench();
      if (!travelled && kind === "box" && into && "carrier" in into) {
        // A click begins a patch corner by corner, as with the pen.
        takeTool("pen");
        beginPen(start)?.end(at, false);
        return;
      }
      const made = bench().draft && travelled ? shape() : null;
      if (made) add(made, kind === "finger" ? "Index finger" : undefined);
      else setBench({ draft: null });
    },
    ...(kind === "finger" ? { wheel } : {}),
  };
}

/** A press of the pane tool, or of a carrier that is set by hand: the next of four corners. */
export function beginPane(start: PointerAt): Gesture | null {
  const v = useView.getState();
  const draft: Draft = bench().draft ?? { kind: "pane", points: [], kinds: [], pointer: null };
  const put = (at: PointerAt) => {
    const [x, y] = toPlate(v, at.x, at.y);
    const points = [...draft.points, [x, y, 0, 0, 0, 0]];
    setBench({ draft: { ...draft, points, kinds: points.map(() => "corner"), pointer: [x, y] } });
    return points;
  };
  put(start);
  return {
    move: put,
    end: (at) => {
      const points = put(at);
      if (points.length < 4) return;
      const type = bench().tool === "byhand" ? "add-hand-carrier" : "add-pane";
      setBench({ draft: null, tool: "select" });
      const corners = inOrder(points.map((p) => [p[0]!, p[1]!]));
      void make({ type, frame: bench().frame, corners });
    },
  };
}

/** Four corners clockwise on screen, beginning at the one nearest to the top left. */
export function inOrder(corners: [number, number][]): Corners {
  const cx = corners.reduce((sum, c) => sum + c[0], 0) / 4;
  const cy = corners.reduce((sum, c) => sum + c[1], 0) / 4;
  const round = [...corners].sort(
    (a, b) => Math.atan2(a[1] - cy, a[0] - cx) - Math.atan2(b[1] - cy, b[0] - cx),
  );
  const start = round.reduce((best, c, i) => (c[0] + c[1] < round[best]![0] + round[best]![1] ? i : best), 0);
  const at = (i: number) => round[(start + i) % 4]!;
  return [at(0), at(1), at(2), at(3)];
}
