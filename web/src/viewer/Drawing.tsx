import { memo, useMemo } from "react";

import {
  coverOf,
  inDepth,
  isShown,
  kindOf,
  neighbourKeys,
  outlineOf,
  partsOf,
  placedOf,
  present,
  shapeOf,
} from "../state/lookups";
import { useBench } from "../state/bench";
import type { Draft } from "../state/slices/drag";
import type { Cover, Thing } from "../api/client";
import { CarrierLines } from "./CarrierLines";
import { DepthPlaces } from "./DepthPlaces";
import { FollowedPoints } from "./FollowedPoints";
import { JointLines } from "./JointLines";
import { along, count, pathOf, pointOf, shapeFrom, type Shape } from "../shapes/shape";
import { FrameAround, OffMarks, Proposed } from "./overlays";
import { edgeRuns, isSoft } from "../shapes/soft";
import { solvingUnder } from "../state/riding";
import { toScreen, useView, type View } from "../state/view";
import { Hit } from "./hit";
import { Bench } from "../state/types";

/** Outlines, panes, points and handles over the picture. */
export function Drawing({ hovered }: { hovered: Hit }) {
  const b = useBench();
  const v = useView();
  // What is drawn lies on the plate, and the flat pane is not as it lies there.
  if (!b.shot || b.drawingHidden || b.look === "flat") return null;
  // Before the viewer's size is known every line would be drawn twice.
  const lines = v.width <= 1 ? [] : linesOf(b);
  const [near, resting] = [lines.filter((l) => l.near), lines.filter((l) => !l.near)];
  return (
    <svg
      className="pointer-events-none absolute inset-0 size-full"
      style={{ opacity: b.pencil.opacity }}
      data-testid="drawing"
    >
      <Resting b={b} lines={resting} v={v} width={b.pencil.width} />
      {near.map(({ part, shape, thing, dashed }) => (
        <Line
          key={part}
          shape={shape}
          v={v}
          colour={b.pencil.colour ?? thing.colour}
          chosen={thing.id === b.selected && part === b.active}
          dashed={dashed}
          width={b.pencil.width}
        />
      ))}
      {b.onion && <Onion b={b} v={v} />}
      <Active b={b} v={v} hovered={hovered} />
      <CarrierLines b={b} v={v} />
      <FollowedPoints b={b} v={v} />
      <DepthPlaces b={b} v={v} />
      <JointLines b={b} v={v} />
      <FrameAround b={b} v={v} />
      <OffMarks b={b} v={v} />
      <Proposed b={b} v={v} />
      {b.draft && <DraftLines draft={b.draft} v={v} />}
      <SelectionBox />
    </svg>
  );
}

/** Shapes as they were drawn last, so that what has not changed is not drawn anew. */
const drawn = new Map<string, { track: unknown; frame: number; shape: Shape }>();

/** The shape of a part, the same object as long as it is the same. */
function lineOf(b: Bench, part: string): Shape | null {
  if (b.drag?.element === part && b.drag.frame === b.frame) return b.drag.shape;
  if (solvingUnder(b, part)) return shapeOf(b, part, b.frame);
  const track = b.tracks[part];
  const held = drawn.get(part);
  if (held && held.track === track && held.frame === b.frame) return held.shape;
  const shape = shapeOf(b, part, b.frame);
  if (shape) drawn.set(part, { track, frame: b.frame, shape });
  return shape;
}

/** Lines of plate places as one path on the screen. */
function linesPath(lines: [number, number][][], v: View): string {
  const corner = (x: number, y: number) => toScreen(v, x, y).map((c) => c.toFixed(1));
  return lines.map((line) => `M${line.map(([x, y]) => corner(x, y).join(" ")).join("L")}`).join("");
}

/** One line of the drawing: an outline of a cover or subject, or a pane. */
interface Drawn {
  part: string;
  shape: Shape;
  thing: Thing;
  /** Whether it belongs to what is selected. */
  near: boolean;
  dashed: boolean;
}

/** All that is on the display at this frame, the farthest first. */
function linesOf(b: Bench): Drawn[] {
  const found: Drawn[] = [];
  for (const thing of [...inDepth(b)].reverse()) {
    if (!isShown(b, thing) || (thing.kind === "cover" && !present(thing as Cover, b.frame))) continue;
    const near = thing.id === b.selected || b.also.has(thing.id);
    for (const part of partsOf(thing)) {
      const shape = lineOf(b, part);
      const outline = outlineOf(b, part);
      if (!shape || (outline && !present(outline, b.frame))) continue;
      const dashed = outline?.mode === "cuts" || outline?.mode === "limits";
      found.push({ part, shape, thing, near, dashed });
    }
  }
  return found;
}

/** Paths as they were made last, by the shape they were made of. */
const paths = new WeakMap<Shape, { v: View; path: string }>();

function pathAt(shape: Shape, v: View): string {
  const held = paths.get(shape);
  if (held?.v === v) return held.path;
  const path = pathOf(shape, (x, y) => toScreen(v, x, y));
  paths.set(shape, { v, path });
  return path;
}

/**
 * The lines of what is not selected: thin, over a fine shadow, without soft edges; one path for all of a colour.
 *
 * A browser without a graphics card draws lines of a pixel's width about eight times
 * as fast as wider ones, and hundreds of elements cost it more than their lines.
 */
function Resting({ b, lines, v, width }: { b: Bench; lines: Drawn[]; v: View; width: number }) {
  const looks = new Map<string, { colour: string; dashed: boolean; line: string }>();
  for (const { shape, thing, dashed } of lines) {
    const colour = b.pencil.colour ?? thing.colour;
    const key = `${colour} ${dashed}`;
    const look = looks.get(key) ?? { colour, dashed, line: "" };
    look.line += pathAt(shape, v);
    looks.set(key, look);
  }
  const dash = (dashed: boolean) => (dashed ? "7 4" : undefined);
  return (
    <g fill="none" strokeWidth={Math.max(width - 0.4, 0.5)}>
      <g transform="translate(0.7 0.9)" stroke="#101516" strokeOpacity={0.7}>
        {[...looks].map(([key, { dashed, line }]) => (
          <path key={key} d={line} strokeDasharray={dash(dashed)} />
        ))}
      </g>
      {[...looks].map(([key, { colour, dashed, line }]) => (
        <path key={key} d={line} stroke={colour} strokeDasharray={dash(dashed)} />
      ))}
    </g>
  );
}

const Line = memo(function Line({
  shape,
  v,
  colour,
  chosen,
  dashed,
  width,
}: {
  shape: Shape;
  v: View;
  colour: string;
  chosen: boolean;
  dashed: boolean;
  width: number;
}) {
  const path = pathAt(shape, v);
  return (
    <g fill="none" strokeLinejoin="round" strokeDasharray={dashed ? "7 4" : undefined}>
      <path
        d={path}
        stroke="#101516"
        strokeOpacity={chosen ? 0.85 : 0.45}
        strokeWidth={width + (chosen ? 2.4 : 1.2)}
      />
      <path d={path} stroke={chosen ? "#fdfcf7" : colour} strokeWidth={chosen ? width + 0.2 : width} />
      {isSoft(shape) && (
        <path
          d={linesPath(edgeRuns(shape), v)}
          stroke={chosen ? "#fdfcf7" : colour}
          strokeOpacity={0.55}
          strokeWidth={Math.max(width * 0.6, 0.8)}
          strokeDasharray="none"
        />
      )}
    </g>
  );
});

/** The shapes of the keys before and after, faint: before in long dashes, after in dots. */
function Onion({ b, v }: { b: Bench; v: View }) {
  if (!b.active) return null;
  return (
    <g fill="none" data-testid="onion">
      {neighbourKeys(b, b.active, b.frame).map((shape, i) => {
        const path = pathOf(shape, (x, y) => toScreen(v, x, y));
        return (
          <g key={i} strokeDasharray={i === 0 ? "9 5" : "1.5 5"} strokeLinecap="round">
            <path d={path} stroke="#101516" strokeOpacity={0.4} strokeWidth={3} />
            <path d={path} stroke="#fdfcf7" strokeOpacity={0.75} strokeWidth={1.3} />
          </g>
        );
      })}
    </g>
  );
}

function Active({ b, v, hovered }: { b: Bench; v: View; hovered: Hit }) {
  if (!b.active || b.tool !== "select") return null;
  const shape = shapeOf(b, b.active, b.frame);
  const outline = outlineOf(b, b.active);
  const cover = outline ? coverOf(b, outline.cover) : null;
  if (!shape || (outline && !present(outline, b.frame))) return null;
  if (cover && (!present(cover, b.frame) || !isShown(b, cover))) return null;
  const pane = placedOf(b, b.active);
  if (pane && pane.shown === false) return null;
  return (
    <g>
      {outline &&
        [...b.points]
          .filter((i) => i < count(shape))
          .map((i) => <Handles key={i} shape={shape} i={i} v={v} />)}
      {Array.from({ length: count(shape) }, (_, i) => {
        const [x, y] = toScreen(v, ...(pointOf(shape, i).slice(0, 2) as [number, number]));
        const near = hovered.kind === "point" && hovered.index === i;
        if (pane)
          return <PaneCorner key={i} shape={shape} i={i} v={v} chosen={b.points.has(i)} near={near} />;
        return (
          <PointMark
            key={i}
            x={x}
            y={y}
            round={kindOf(b, b.active!, i) !== "corner"}
            chosen={b.points.has(i)}
            near={near}
          />
        );
      })}
    </g>
  );
}

function PointMark(props: { x: number; y: number; round: boolean; chosen: boolean; near: boolean }) {
  const { x, y, round, chosen, near } = props;
  const r = near ? 5.6 : 4;
  const look = {
    fill: chosen ? "#0f6a62" : "#fdfcf7",
    stroke: chosen ? "#fdfcf7" : "#101516",
    strokeWidth: 1.4,
  };
  return round ? (
    <circle cx={x} cy={y} r={r} {...look} />
  ) : (
    <rect x={x - r + 0.4} y={y - r + 0.4} width={2 * r - 0.8} height={2 * r - 0.8} {...look} />
  );
}

function Handles({ shape, i, v }: { shape: Shape; i: number; v: View }) {
  const [x, y, ix, iy, ox, oy] = pointOf(shape, i);
  const [sx, sy] = toScreen(v, x, y);
  return (
    <g>
      {[
        [ix, iy],
        [ox, oy],
      ].map(([hx, hy], k) => {
        if (!hx && !hy) return null;
        const [ex, ey] = toScreen(v, x + hx!, y + hy!);
        return (
          <g key={k}>
            <path d={`M${sx} ${sy}L${ex} ${ey}`} stroke="#101516" strokeOpacity={0.7} strokeWidth={3} />
            <path d={`M${sx} ${sy}L${ex} ${ey}`} stroke="#fdfcf7" strokeWidth={1.1} />
            <circle cx={ex} cy={ey} r={3.4} fill="#fdfcf7" stroke="#101516" strokeWidth={1.2} />
          </g>
        );
      })}
    </g>
  );
}

/** A pane's corner: a bracket that follows its two edges, so that it does not hide the place it marks. */
function PaneCorner(props: { shape: Shape; i: number; v: View; chosen: boolean; near: boolean }) {
  const { shape, i, v, chosen, near } = props;
  const corner = toScreen(v, ...along(shape, i, 0));
  const towards = (j: number): [number, number] => {
    const other = toScreen(v, ...along(shape, j, 0));
    const length = Math.hypot(other[0] - corner[0], other[1] - corner[1]) || 1;
    const reach = Math.min(near || chosen ? 18 : 13, length / 2) / length;
    return [corner[0] + (other[0] - corner[0]) * reach, corner[1] + (other[1] - corner[1]) * reach];
  };
  const [a, c] = [towards((i + 3) % 4), towards((i + 1) % 4)];
  const path = `M${a.join(" ")}L${corner.join(" ")}L${c.join(" ")}`;
  return (
    <g fill="none" strokeLinecap="square">
      <path d={path} stroke="#101516" strokeOpacity={0.8} strokeWidth={chosen ? 7 : 6} />
      <path d={path} stroke={chosen ? "#6cc0b3" : "#fdfcf7"} strokeWidth={chosen ? 3.6 : 3} />
    </g>
  );
}

function DraftLines({ draft, v }: { draft: Draft; v: View }) {
  const path = useMemo(() => {
    const points = draft.pointer ? [...draft.points, [...draft.pointer, 0, 0, 0, 0]] : draft.points;
    return pathOf(
      shapeFrom(points),
      (x, y) => toScreen(v, x, y),
      draft.kind === "starter" || (draft.kind === "pane" && points.length > 3),
    );
  }, [draft, v]);
  const last = draft.points.length - 1;
  const marked = draft.kind === "pen" || draft.kind === "pane";
  return (
    <g fill="none">
      <path d={path} stroke="#101516" strokeOpacity={0.8} strokeWidth={3.6} />
      <path d={path} stroke="#fdfcf7" strokeWidth={1.5} />
      {last >= 0 && draft.kind !== "starter" && draft.kind !== "trace" && (
        <Handles shape={shapeFrom([draft.points[last]!])} i={0} v={v} />
      )}
      {(draft.anchors ?? []).map(([ax, ay], i) => {
        const [x, y] = toScreen(v, ax, ay);
        const closes = i === 0 && draft.anchors!.length >= 2;
        return <PointMark key={i} x={x} y={y} round={false} chosen={closes} near={closes} />;
      })}
      {(marked ? draft.points : []).map((p, i) => {
        const [x, y] = toScreen(v, p[0]!, p[1]!);
        const closes = i === 0 && draft.kind === "pen" && draft.points.length >= 3;
        return (
          <PointMark key={i} x={x} y={y} round={draft.kinds[i] !== "corner"} chosen={closes} near={closes} />
        );
      })}
    </g>
  );
}

function SelectionBox() {
  const box = useBench((b) => b.selectionBox);
  if (!box) return null;
  if ("loop" in box)
    return (
      <polygon
        points={box.loop.map((p) => p.join(",")).join(" ")}
        fill="#fdfcf7"
        fillOpacity={0.1}
        stroke="#fdfcf7"
        strokeDasharray="5 4"
      />
    );
  const at = { x: Math.min(box.x0, box.x1), y: Math.min(box.y0, box.y1) };
  const size = { width: Math.abs(box.x1 - box.x0), height: Math.abs(box.y1 - box.y0) };
  return <rect {...at} {...size} fill="#fdfcf7" fillOpacity={0.1} stroke="#fdfcf7" strokeDasharray="5 4" />;
}
