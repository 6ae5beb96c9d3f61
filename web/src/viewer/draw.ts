import { toast } from "sonner";

import type { Edit, PointKind } from "../api/client";
import { bench, select, setBench, type Draft } from "../features/workbench/bench";
import { send } from "../features/workbench/send";
import type { Gesture, PointerAt } from "./tools";
import { toPlate, toScreen, useView } from "./view";

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

/** Finish the outline that the pen draws. */
export function closePen() {
  const { draft, frame, into } = bench();
  if (!draft || draft.kind !== "pen") return;
  if (draft.points.length < 3) {
    toast("An outline needs at least three points. Go on clicking, or press Escape to give it up.");
    return;
  }
  const outline = { points: draft.points, kinds: draft.kinds };
  const edit = into
    ? { type: "add-outline", cover: into.cover, mode: into.mode, frame, outline }
    : { type: "add-cover", frame, outline };
  setBench({ draft: null, into: null, tool: "select" });
  void send(edit as Edit).then((change) => {
    if (!change?.made) return;
    const drawn = Object.values(change.elements).find((e) => e?.kind === "outline");
    select(change.made, drawn?.id);
  });
}

/** A press of the pane tool: the next of four corners. */
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
      setBench({ draft: null, tool: "select" });
      const corners = inOrder(points.map((p) => [p[0]!, p[1]!]));
      void send({ type: "add-pane", frame: bench().frame, corners } as Edit).then((change) => {
        if (change?.made) select(change.made);
      });
    },
  };
}

/** Four corners clockwise on screen, beginning at the one nearest to the top left. */
export function inOrder(corners: [number, number][]): [number, number][] {
  const cx = corners.reduce((sum, c) => sum + c[0], 0) / 4;
  const cy = corners.reduce((sum, c) => sum + c[1], 0) / 4;
  const round = [...corners].sort(
    (a, b) => Math.atan2(a[1] - cy, a[0] - cx) - Math.atan2(b[1] - cy, b[0] - cx),
  );
  const start = round.reduce((best, c, i) => (c[0] + c[1] < round[best]![0] + round[best]![1] ? i : best), 0);
  return [...round.slice(start), ...round.slice(0, start)];
}
