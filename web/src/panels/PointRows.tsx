import type { Outline } from "../api/client";
import { bounds } from "../api/bounds";
import { Button } from "../ui/Button";
import { NumberField } from "../ui/NumberField";
import { boundsOf, mapped, scaling, turning, type Affine } from "../shapes/affine";
import { count, moved, STRIDE, type Shape } from "../shapes/shape";
import { softened } from "../shapes/soft";
import { setBench, useFrame } from "../state/bench";
import { Row } from "./Row";
import { send } from "../commands/send";
import { Settled } from "../state/types";
import { pivotOf } from "../commands/pivots";
import { reshape } from "../commands/shaping";

/** How full the curve is at the chosen smooth points. */
export function Roundness({
  outline,
  chosen,
  shape,
}: {
  outline: Outline;
  chosen: number[];
  shape: Shape | null;
}) {
  const value = shape && chosen.length ? roundnessOf(shape, chosen[0]!) : 1;
  return (
    <Row label="Roundness">
      <NumberField
        label="Roundness"
        digits={2}
        step={0.05}
        value={value}
        {...bounds.SetPointKind.roundness}
        onCommit={(roundness) =>
          void send({
            type: "set-point-kind",
            outline: outline.id,
            indices: chosen,
            kind: "smooth",
            roundness,
          })
        }
      />
      <span className="text-[13px] text-ink-soft">on all keys</span>
    </Row>
  );
}

/** A smooth point's outgoing handle in thirds of the way to the next point. */
function roundnessOf(s: Shape, i: number): number {
  const at = i * STRIDE;
  const next = ((i + 1) % count(s)) * STRIDE;
  const way = Math.hypot(s[next]! - s[at]!, s[next + 1]! - s[at + 1]!);
  return way < 1e-6 ? 1 : Math.min((3 * Math.hypot(s[at + 4]!, s[at + 5]!)) / way, 3);
}

/** Exact numbers: where the chosen points (or the whole) are, and turns and scalings about the pivot. */
export function PlaceRows({ b, outline, shape, chosen }: PointsOf & { b: Settled }) {
  const frame = useFrame();
  const indices = chosen.length ? chosen : all(shape);
  const box = boundsOf(shape, indices);
  const x = (box.left + box.right) / 2;
  const y = (box.top + box.bottom) / 2;
  const pivot: [number, number] = chosen.length > 1 ? [x, y] : pivotOf(b, frame, outline.id, shape);
  const move = (dx: number, dy: number) => reshape(outline.id, (s) => moved(s, indices, dx, dy));
  const apply = (map: Affine) => reshape(outline.id, (s) => mapped(s, indices, map));
  return (
    <>
      <Row label={chosen.length === 1 ? "Place" : "Centre"}>
        <NumberField label="X" caption="x" narrow digits={2} value={x} onCommit={(to) => move(to - x, 0)} />
        <NumberField label="Y" caption="y" narrow digits={2} value={y} onCommit={(to) => move(0, to - y)} />
      </Row>
      {chosen.length !== 1 && (
        <Row label="Change by">
          <NumberField
            label="Turn"
            caption="turn"
            unit="°"
            narrow
            digits={1}
            value={0}
            min={-720}
            max={720}
            onCommit={(by) => apply(turning(...pivot, (by * Math.PI) / 180))}
          />
          <NumberField
            label="Scale"
            caption="scale"
            unit="%"
            narrow
            digits={1}
            value={100}
            min={1}
            max={2000}
            onCommit={(by) => apply(scaling(...pivot, by / 100, by / 100))}
          />
          <Button
            small
            look={b.framed ? "main" : "plain"}
            title="A frame to move, turn, scale and shear by, with its pivot  (X)"
            onClick={() => setBench({ framed: !b.framed, tool: "select" })}
          >
            Frame
          </Button>
        </Row>
      )}
    </>
  );
}

interface PointsOf {
  outline: Outline;
  shape: Shape;
  chosen: number[];
}

const all = (shape: Shape) => Array.from({ length: count(shape) }, (_, i) => i);

/** The soft edge of the chosen points, or of all. */
export function SoftRow({ outline, shape, chosen }: PointsOf) {
  const indices = chosen.length ? chosen : all(shape);
  const mean = (k: number) => indices.reduce((sum, i) => sum + shape[i * STRIDE + k]!, 0) / indices.length;
  return (
    <Row label="Soft edge">
      <NumberField
        label="Soft edge inwards"
        caption="in"
        unit="px"
        narrow
        digits={1}
        step={0.5}
        value={mean(6)}
        min={0}
        max={500}
        onCommit={(width) => reshape(outline.id, (s) => softened(s, indices, width, undefined))}
      />
      <NumberField
        label="Soft edge outwards"
        caption="out"
        unit="px"
        narrow
        digits={1}
        step={0.5}
        value={mean(7)}
        min={0}
        max={500}
        onCommit={(width) => reshape(outline.id, (s) => softened(s, indices, undefined, width))}
      />
    </Row>
  );
}
