import type { Carrier } from "../api/client";
import { bench, setBench } from "../state/bench";
import { carrierOf, pointAt } from "../state/carriers";
import { make, send } from "../commands/send";
import { toPlate, toScreen, useView } from "../state/view";
import { Gesture, PointerAt } from "./gesture";

type FollowedPoint = NonNullable<Carrier["points"]>[number];

/** Pixels of the screen within which a point or a corner of its squares is grabbed. */
const REACH = 8;
const SMALLEST = { pattern: 9, search: 11 };
const LARGEST = { pattern: 301, search: 1001 };

/** The chosen carrier's points on this frame with what is dragged of them, and their squares in plate pixels. */
export function pointsHere(carrier: Carrier, frame: number) {
  const { pointDrag } = bench();
  return carrier.points.map((point, index) => {
    const drag = pointDrag?.carrier === carrier.id && pointDrag.point === point.id ? pointDrag : null;
    const at = pointAt(point, frame);
    const place = drag?.place ? { x: drag.place[0], y: drag.place[1], sure: true } : at;
    return {
      point,
      number: index + 1,
      place,
      pattern: drag?.pattern ?? point.pattern ?? 31,
      search: drag?.search ?? point.search ?? 81,
    };
  });
}

/** A press on a point of the chosen carrier, or on a corner of its squares. */
export function beginFeature(start: PointerAt): Gesture | null {
  const b = bench();
  const carrier = carrierOf(b, b.selected);
  if (!carrier?.points?.length || carrier.locked) return null;
  const v = useView.getState();
  const near = (x: number, y: number) => {
    const [sx, sy] = toScreen(v, x, y);
    return Math.hypot(sx - start.x, sy - start.y) <= REACH;
  };
  for (const { point, place, pattern, search } of pointsHere(carrier, b.frame).reverse()) {
    if (!place) continue;
    const corners = (side: number) =>
      [-1, 1].flatMap((i) =>
        [-1, 1].map((j) => [place.x + (i * side) / 2, place.y + (j * side) / 2] as const),
      );
    if (b.frame === point.at && near(place.x, place.y)) return moving(carrier, point, start);
    for (const what of ["pattern", "search"] as const)
      if (corners(what === "pattern" ? pattern : search).some(([x, y]) => near(x, y)))
        return sizing(carrier, point, what, place);
  }
  return null;
}

function moving(carrier: Carrier, point: FollowedPoint, start: PointerAt): Gesture {
  const v = useView.getState();
  const from = toPlate(v, start.x, start.y);
  let place = point.seen as [number, number];
  return {
    move: (at) => {
      const to = toPlate(v, at.x, at.y);
      place = [point.seen[0]! + to[0] - from[0], point.seen[1]! + to[1] - from[1]];
      setBench({ pointDrag: { carrier: carrier.id, point: point.id, place } });
    },
    end: (_at, travelled) => {
      if (travelled) void send({ type: "set-point", carrier: carrier.id, point: point.id, place });
      else setBench({ pointDrag: null });
    },
  };
}

function sizing(
  carrier: Carrier,
  point: FollowedPoint,
  what: "pattern" | "search",
  middle: { x: number; y: number },
): Gesture {
  const v = useView.getState();
  let side = point[what]!;
  return {
    move: (at) => {
      const [x, y] = toPlate(v, at.x, at.y);
      const half = Math.max(Math.abs(x - middle.x), Math.abs(y - middle.y));
      side = Math.min(Math.max(Math.round(half) * 2 + 1, SMALLEST[what]), LARGEST[what]);
      setBench({ pointDrag: { carrier: carrier.id, point: point.id, [what]: side } });
    },
    end: (_at, travelled) => {
      if (travelled) void send({ type: "set-point", carrier: carrier.id, point: point.id, [what]: side });
      else setBench({ pointDrag: null });
    },
  };
}

/** A press of the points tool: a point to follow, of the chosen carrier of points or of a new one. */
export function beginPoint(start: PointerAt): Gesture {
  const grabbed = beginFeature(start);
  if (grabbed) return grabbed;
  const b = bench();
  const carrier = carrierOf(b, b.selected);
  const into = carrier?.points?.length ? { carrier: carrier.id } : {};
  return {
    move: () => undefined,
    end: (at) => {
      const place = toPlate(useView.getState(), at.x, at.y);
      void make({ type: "add-point", frame: bench().frame, place, ...into });
    },
  };
}

/** A drag of the joint tool: the line across an outline beyond which it rides on another carrier. */
export function beginJoint(start: PointerAt): Gesture {
  const v = useView.getState();
  const from = toPlate(v, start.x, start.y);
  const line = (at: PointerAt): [[number, number], [number, number]] => [from, toPlate(v, at.x, at.y)];
  return {
    move: (at) =>
      setBench({
        draft: {
          kind: "joint",
          points: line(at).map(([x, y]) => [x, y, 0, 0, 0, 0]),
          kinds: [],
          pointer: null,
        },
      }),
    end: (at, travelled) => {
      const { into, active, frame } = bench();
      setBench({ draft: null });
      if (!travelled || !active || !into || !("joint" in into)) return;
      void send({
        type: "add-joint",
        outline: active,
        carrier: into.joint,
        frame,
        line: line(at),
      }).then((change) => change && setBench({ into: null, tool: "select" }));
    },
  };
}
