import { DifferingMarks } from "./Differing";
import { frameBox, onScreen, placeOf } from "./frame";
import { pathOf, shapeFrom, type Shape, segmentPath } from "../shapes/shape";
import { marksHere } from "../state/slices/review";
import { toScreen, type View } from "../state/view";
import { Bench } from "../state/types";

const LIGHT = "#fdfcf7";
const DARK = "#101516";

/** The frame around what is chosen: stitched sides, buttons at the corners, capsules at the sides, a ring to turn about. */
export function FrameAround({ b, v }: { b: Bench; v: View }) {
  const box = frameBox(b);
  if (!box) return null;
  const s = onScreen(box);
  const [px, py] = toScreen(v, ...(b.pivotDrag ?? box.pivot));
  const sides = { x: s.left, y: s.top, width: s.right - s.left, height: s.bottom - s.top, rx: 5 };
  return (
    <g fill="none" data-testid="frame-around">
      <rect {...sides} stroke={DARK} strokeOpacity={0.5} strokeWidth={2.6} />
      <rect {...sides} stroke={LIGHT} strokeWidth={1.2} strokeDasharray="8 4" strokeLinecap="round" />
      {[-1, 1].flatMap((gx) =>
        [-1, 1].map((gy) => {
          const [x, y] = placeOf(s, gx, gy);
          return (
            <g key={`${gx}${gy}`}>
              <circle cx={x} cy={y} r={4.6} fill={LIGHT} stroke={DARK} strokeWidth={1.2} />
              <circle cx={x} cy={y} r={1.4} fill={DARK} />
            </g>
          );
        }),
      )}
      {(
        [
          [0, -1],
          [0, 1],
          [-1, 0],
          [1, 0],
        ] as const
      ).map(([gx, gy]) => {
        const [x, y] = placeOf(s, gx, gy);
        const wide = gx === 0 ? 14 : 5;
        const high = gx === 0 ? 5 : 14;
        return (
          <rect
            key={`${gx}${gy}`}
            x={x - wide / 2}
            y={y - high / 2}
            width={wide}
            height={high}
            rx={2.5}
            fill={LIGHT}
            stroke={DARK}
            strokeWidth={1.2}
          />
        );
      })}
      <g data-testid="pivot">
        <circle cx={px} cy={py} r={7} stroke={DARK} strokeWidth={4} strokeOpacity={0.6} />
        <circle cx={px} cy={py} r={7} stroke={LIGHT} strokeWidth={1.8} />
        <circle cx={px} cy={py} r={1.6} fill={LIGHT} />
      </g>
    </g>
  );
}

/** What is proposed, over what is there: the new shape in dashes of the action's colour. */
export function Proposed({ b, v }: { b: Bench; v: View }) {
  const place = (x: number, y: number) => toScreen(v, x, y);
  if (b.fitting) {
    const line = b.fitting.line
      .map(([x, y]) =>
        place(x, y)
          .map((c) => c.toFixed(1))
          .join(","),
      )
      .join(" ");
    return (
      <g data-testid="fitting">
        <polygon points={line} fill="none" stroke={DARK} strokeOpacity={0.5} strokeWidth={2.4} />
        <polygon points={line} fill="none" stroke="#e0a13a" strokeWidth={1.2} />
        <Dashes shape={shapeFrom(b.fitting.points)} place={place} />
        {b.fitting.points.map((p, i) => {
          const [x, y] = place(p[0]!, p[1]!);
          return <circle key={i} cx={x} cy={y} r={3.4} fill={LIGHT} stroke={DARK} />;
        })}
      </g>
    );
  }
  if (b.starting) {
    if (b.starting.frame !== b.frame) return null;
    return (
      <g data-testid="starting">
        {b.starting.starters.map((s, i) => (
          <g key={i} opacity={b.starting!.kept.has(i) ? 1 : 0.35}>
            <Dashes shape={shapeFrom(s.outline.points)} place={place} />
          </g>
        ))}
      </g>
    );
  }
  if (!b.proposal) return null;
  if (b.proposal.kind === "differing") return <DifferingMarks place={place} />;
  const shape = b.proposal.shapes[b.frame];
  const { lost } = b.proposal;
  return (
    <g data-testid="proposed">
      {shape && b.proposal.kept.has(b.frame) && (
        <>
          <Dashes shape={shape} place={place} />
          <Doubtful shape={shape} segments={b.proposal.doubtful?.[b.frame] ?? []} place={place} />
        </>
      )}
      {lost?.frames.includes(b.frame) && <Lost at={place(...lost.at)} />}
    </g>
  );
}

/** Where outlines seem to be off on this frame: the stretch, thin, and a line of dots where its edge seems to be. */
export function OffMarks({ b, v }: { b: Bench; v: View }) {
  const found = marksHere(b);
  if (!found || b.proposal || b.drag) return null;
  const line = (places: [number, number][]) =>
    places
      .map(([x, y]) =>
        toScreen(v, x, y)
          .map((c) => c.toFixed(1))
          .join(","),
      )
      .join(" ");
  return (
    <g fill="none" strokeLinecap="round" data-testid="off">
      {found.matters.map((run, i) => (
        <polyline
          key={`over ${i}`}
          data-testid="over"
          points={line(run as [number, number][])}
          stroke="#6cc0b3"
          strokeOpacity={0.45}
          strokeWidth={9}
          strokeLinecap="butt"
        />
      ))}
      {found.holes.map((hole, i) => (
        <g key={`hole ${i}`} data-testid="hole">
          <polygon
            points={line(hole.outline.map(([x, y]) => [x!, y!]))}
            stroke={DARK}
            strokeOpacity={0.6}
            strokeWidth={3}
          />
          <polygon
            points={line(hole.outline.map(([x, y]) => [x!, y!]))}
            stroke="#e0a13a"
            strokeWidth={1.6}
            strokeDasharray={hole.what === "open" ? "6 3" : "1 4"}
          />
        </g>
      ))}
      {found.marks.map((mark, i) => (
        <g key={i} data-testid="off-mark" opacity={b.active && b.active !== mark.outline ? 0.55 : 1}>
          <polyline
            points={line(mark.ghost.length ? mark.ghost : mark.places)}
            stroke={DARK}
            strokeOpacity={0.6}
            strokeWidth={3}
          />
          <polyline points={line(mark.ghost)} stroke="#e0a13a" strokeWidth={1.6} strokeDasharray="0.1 5" />
          <polyline points={line(mark.places)} stroke="#e0a13a" strokeWidth={1.8} />
        </g>
      ))}
    </g>
  );
}

/** The stretches of a proposed shape that are to be looked at. */
function Doubtful(props: {
  shape: Shape;
  segments: number[];
  place: (x: number, y: number) => [number, number];
}) {
  const { shape, segments, place } = props;
  return (
    <g fill="none" strokeLinecap="round" data-testid="doubtful">
      {segments.map((segment) => (
        <path
          key={segment}
          d={segmentPath(shape, segment, place)}
          stroke="#e0a13a"
          strokeWidth={3}
          strokeOpacity={0.9}
        />
      ))}
    </g>
  );
}

/** The worst doubtful place on the first frame that has one. */
function Lost({ at: [x, y] }: { at: [number, number] }) {
  return (
    <g fill="none" data-testid="lost">
      <circle cx={x} cy={y} r={17} stroke={DARK} strokeOpacity={0.7} strokeWidth={3.6} />
      <circle cx={x} cy={y} r={17} stroke="#e0a13a" strokeWidth={2} />
    </g>
  );
}

function Dashes({ shape, place }: { shape: Shape; place: (x: number, y: number) => [number, number] }) {
  const path = pathOf(shape, place);
  return (
    <g fill="none" strokeLinecap="round">
      <path d={path} stroke={DARK} strokeOpacity={0.7} strokeWidth={3.6} />
      <path d={path} stroke="#6cc0b3" strokeWidth={2} strokeDasharray="7 4" />
    </g>
  );
}
