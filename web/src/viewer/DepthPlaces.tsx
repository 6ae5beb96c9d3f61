import { fromUnit } from "../shapes/quad";
import { paneOf, shapeOf } from "../state/lookups";
import type { Bench } from "../state/types";
import { Label } from "./Label";
import { toScreen, type View } from "../state/view";

const LIGHT = "#fdfcf7";
const DARK = "#101516";
const ENDS = [
  ["here", "A"],
  ["there", "B"],
] as const;

/** The two places between which the chosen pane goes out of focus; a ring is as wide as the blur there. */
export function DepthPlaces({ b, v }: { b: Bench; v: View }) {
  const pane = paneOf(b, b.selected);
  if (!pane?.sit.depth.on) return null;
  const corners = shapeOf(b, pane.id, b.frame);
  const place = corners && fromUnit(corners);
  if (!place) return null;
  const blur = { here: pane.sit.depth.near, there: pane.sit.depth.far };
  const [a, z] = ENDS.map(([end]) => toScreen(v, ...place(...pane.sit.depth[end])));
  return (
    <g fill="none" data-testid="depth-places">
      <line x1={a![0]} y1={a![1]} x2={z![0]} y2={z![1]} stroke={DARK} strokeOpacity={0.5} strokeWidth={3} />
      <line
        x1={a![0]}
        y1={a![1]}
        x2={z![0]}
        y2={z![1]}
        stroke={LIGHT}
        strokeWidth={1}
        strokeDasharray="2 5"
      />
      {ENDS.map(([end, name]) => {
        const [x, y] = toScreen(v, ...place(...pane.sit.depth[end]));
        const r = Math.max(blur[end] * v.zoom, 3);
        return (
          <g key={end} data-testid={`depth-${name}`}>
            <circle cx={x} cy={y} r={r} stroke={DARK} strokeWidth={3.4} />
            <circle cx={x} cy={y} r={r} stroke={LIGHT} strokeWidth={1.5} />
            <Label x={x + r + 5} y={y - 6} colour={LIGHT}>
              {name}
            </Label>
          </g>
        );
      })}
    </g>
  );
}
