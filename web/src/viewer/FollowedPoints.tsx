import { carrierOf } from "../state/carriers";
import { pointsHere } from "./features";
import { Label } from "./Label";
import { toScreen, type View } from "../state/view";
import { Bench } from "../state/types";

const LIGHT = "#fdfcf7";
const DARK = "#101516";
const GOLD = "#efb94c";

/** The points that the chosen carrier follows, each with the square that is compared and the one that is searched. */
export function FollowedPoints({ b, v }: { b: Bench; v: View }) {
  const carrier = carrierOf(b, b.selected);
  if (!carrier?.points?.length || carrier.shown === false) return null;
  return (
    <g fill="none" data-testid="followed-points">
      {pointsHere(carrier, b.frame).map(({ point, number, place, pattern, search }) => {
        if (!place) return null;
        const [x, y] = toScreen(v, place.x, place.y);
        const colour = place.sure ? LIGHT : GOLD;
        return (
          <g key={point.id} data-testid={`point-${number}`}>
            <Square
              x={x}
              y={y}
              w={search * v.zoom * v.aspect}
              h={search * v.zoom}
              dash="3 5"
              colour={colour}
            />
            <Square x={x} y={y} w={pattern * v.zoom * v.aspect} h={pattern * v.zoom} colour={colour} />
            <circle cx={x} cy={y} r={4.5} stroke={DARK} strokeWidth={3.4} />
            <circle cx={x} cy={y} r={4.5} stroke={colour} strokeWidth={1.5} />
            <circle cx={x} cy={y} r={1} fill={colour} />
            <Label x={x + 8} y={y - 7} colour={colour}>
              {number}
            </Label>
          </g>
        );
      })}
    </g>
  );
}

function Square(props: { x: number; y: number; w: number; h: number; dash?: string; colour: string }) {
  const { x, y, w, h, dash, colour } = props;
  const at = { x: x - w / 2, y: y - h / 2, width: w, height: h, rx: 2 };
  return (
    <>
      <rect {...at} stroke={DARK} strokeOpacity={0.6} strokeWidth={2.8} strokeDasharray={dash} />
      <rect {...at} stroke={colour} strokeWidth={1.1} strokeDasharray={dash} />
    </>
  );
}
