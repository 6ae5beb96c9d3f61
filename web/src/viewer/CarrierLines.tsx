import type { Carrier } from "../api/client";
import { shapeOf } from "../state/lookups";
import { carrierOf } from "../state/carriers";
import { quadMap } from "../shapes/quad";
import { count, pathOf, px, py } from "../shapes/shape";
import { toScreen, type View } from "../state/view";
import { Bench } from "../state/types";
import { regionSeen, regionsOf, What } from "../state/regions";

const LIGHT = "#fdfcf7";
const DARK = "#101516";
const THREADS = 4;

/** The chosen carrier: its patches and blind spots where the motion takes them, and a grid that shows slip. */
export function CarrierLines({ b, v }: { b: Bench; v: View }) {
  const carrier = carrierOf(b, b.selected);
  const quad = carrier && shapeOf(b, carrier.id, b.frame);
  const map = carrier && quad && quadMap(carrier.base, quad);
  if (!carrier || !map || carrier.shown === false) return null;
  const place = (x: number, y: number) => toScreen(v, ...map(x, y));
  return (
    <g fill="none" data-testid="carrier-lines" strokeLinejoin="round">
      <Grid carrier={carrier} place={place} />
      {(["patch", "blind"] as const).flatMap((what) =>
        regionsOf(carrier, what).map((_, i) => (
          <RegionLine key={`${what} ${i}`} b={b} v={v} carrier={carrier} what={what} index={i} />
        )),
      )}
    </g>
  );
}

function Grid({ carrier, place }: { carrier: Carrier; place: (x: number, y: number) => [number, number] }) {
  const [a, b, c, d] = carrier.base;
  const at = (u: number, w: number) =>
    place(
      (a![0] * (1 - u) + b![0] * u) * (1 - w) + (d![0] * (1 - u) + c![0] * u) * w,
      (a![1] * (1 - u) + b![1] * u) * (1 - w) + (d![1] * (1 - u) + c![1] * u) * w,
    );
  const line = (from: [number, number], to: [number, number]) =>
    `M${from[0].toFixed(1)} ${from[1].toFixed(1)}L${to[0].toFixed(1)} ${to[1].toFixed(1)}`;
  const inner = Array.from({ length: THREADS - 1 }, (_, i) => (i + 1) / THREADS).flatMap((t) => [
    line(at(t, 0), at(t, 1)),
    line(at(0, t), at(1, t)),
  ]);
  const rim = [
    line(at(0, 0), at(1, 0)),
    line(at(1, 0), at(1, 1)),
    line(at(1, 1), at(0, 1)),
    line(at(0, 1), at(0, 0)),
  ];
  return (
    <>
      <path d={inner.join("")} stroke={LIGHT} strokeOpacity={0.55} strokeWidth={0.8} />
      <Twice d={rim.join("")} />
      {[at(0, 0), at(1, 0), at(1, 1), at(0, 1)].map(([x, y], i) => (
        <rect key={i} x={x - 4} y={y - 4} width={8} height={8} rx={2} fill={LIGHT} stroke={DARK} />
      ))}
    </>
  );
}

function Twice({ d, dash }: { d: string; dash?: string }) {
  return (
    <>
      <path d={d} stroke={DARK} strokeOpacity={0.6} strokeWidth={3} />
      <path d={d} stroke={LIGHT} strokeWidth={1.2} strokeDasharray={dash} strokeLinecap="round" />
    </>
  );
}

/** A patch or a blind spot; its points stand out while it can be shaped. */
function RegionLine(props: { b: Bench; v: View; carrier: Carrier; what: What; index: number }) {
  const { b, v, carrier, what, index } = props;
  const shape = regionSeen(b, carrier, what, index);
  if (!shape) return null;
  const d = pathOf(shape, (x, y) => toScreen(v, x, y));
  const inHand = b.shaping?.carrier === carrier.id && b.shaping.what === what && b.shaping.index === index;
  return (
    <>
      {what === "patch" ? (
        <Twice d={d} dash={inHand ? undefined : "2 4"} />
      ) : (
        <path
          d={d}
          fill={DARK}
          fillOpacity={0.45}
          stroke={LIGHT}
          strokeDasharray={inHand ? undefined : "2 4"}
        />
      )}
      {inHand &&
        Array.from({ length: count(shape) }, (_, i) => {
          const [x, y] = toScreen(v, px(shape, i), py(shape, i));
          return (
            <circle key={i} cx={x} cy={y} r={4.5} fill={LIGHT} stroke={DARK} data-testid="region-point" />
          );
        })}
    </>
  );
}
