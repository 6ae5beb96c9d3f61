import { Circle, MousePointer2, Pencil, Spline, Square, SwatchBook } from "lucide-react";
import type { ComponentType } from "react";

import { IconButton } from "../ui/Button";
import { useBench } from "../state/bench";
import type { ToolName } from "../state/slices/tools";
import { proposeStarters } from "../commands/starting";
import { drawRegion, takeTool } from "../commands/tools";

const TOOLS: {
  name: ToolName;
  label: string;
  key: string;
  icon: ComponentType<{ size: number; strokeWidth: number }>;
}[] = [
  { name: "select", label: "Select and shape", key: "S", icon: MousePointer2 },
  { name: "pen", label: "Draw a cover with the pen", key: "P", icon: Spline },
  { name: "freehand", label: "Draw a loop by hand", key: "L", icon: Pencil },
  { name: "trace", label: "Trace an edge in the picture", key: "T", icon: TraceIcon },
  { name: "finger", label: "Finger, from knuckle to tip", key: "G", icon: FingerIcon },
  { name: "ellipse", label: "Ellipse", key: "C", icon: Circle },
  { name: "box", label: "Box", key: "B", icon: Square },
  { name: "pane", label: "Place a pane by its four corners", key: "N", icon: PaneIcon },
  { name: "sample", label: "Key a subject: drag over its backing", key: "Y", icon: SwatchBook },
];

/** Four corners in perspective, drawn like the other icons. */
function PaneIcon({ size, strokeWidth }: { size: number; strokeWidth: number }) {
  return (
    <svg {...drawn(size, strokeWidth)}>
      <path d="M7 6.6 17.4 4.6M19 6.8v10.4M17.3 19.4 6.7 17M5 15.2V8.6" strokeLinecap="round" />
      {[
        [5, 7],
        [19, 4.5],
        [19, 19.5],
        [5, 17],
      ].map(([x, y]) => (
        <circle key={`${x} ${y}`} cx={x} cy={y} r="1.9" />
      ))}
    </svg>
  );
}

/** A stitched line along an edge, drawn like the other icons. */
function TraceIcon({ size, strokeWidth }: { size: number; strokeWidth: number }) {
  return (
    <svg {...drawn(size, strokeWidth)}>
      <path
        d="M2.500 20.500c4.200-.3 4.500-4.800 6-8.500s4.300-4 6.500-4.200 4.600-2.300 6-5.300"
        strokeLinecap="round"
      />
      <path
        d="M8 21c2.800-1.600 3.200-4.800 4.300-7.400s3.300-2.400 5.200-3.100 3.200-1.900 4-3.300"
        strokeDasharray="1.200 3"
        strokeLinecap="round"
      />
    </svg>
  );
}

/** A patch sewn on, with its thread, drawn like the other icons. */
export function CarrierIcon({ size, strokeWidth }: { size: number; strokeWidth: number }) {
  return (
    <svg {...drawn(size, strokeWidth)}>
      <path d="M4.500 8.500 14 5l3.500 9.500L8 18z" strokeDasharray="2.600 2" strokeLinecap="round" />
      <path d="M13.500 12.500c2.500 1.500 2.500 5 .5 7s3.500 2 6.500-1.500" strokeLinecap="round" />
    </svg>
  );
}

/** What our own icons share with those of the set. */
const drawn = (size: number, strokeWidth: number) => ({
  width: size,
  height: size,
  viewBox: "0 0 24 24",
  fill: "none",
  stroke: "currentColor",
  strokeWidth,
});

/** A tapering finger, drawn like the other icons. */
function FingerIcon({ size, strokeWidth }: { size: number; strokeWidth: number }) {
  return (
    <svg {...drawn(size, strokeWidth)}>
      <path
        d="M3.5 15.2c2.6-3.6 6-7.4 11-11.6 1.6-1.3 3.7-1.2 5 .2s1.3 3.4 0 4.9c-4.3 5-8 8.4-11.7 11.3"
        strokeLinecap="round"
      />
      <path d="M9.3 9.6c1.7.9 3 2.3 3.9 4.200M15.7 4.4c1.500.7 2.7 1.9 3.4 3.500" strokeLinecap="round" />
    </svg>
  );
}

/** A mitten with stitches round it, drawn like the other icons. */
function MittenIcon({ size, strokeWidth }: { size: number; strokeWidth: number }) {
  return (
    <svg {...drawn(size, strokeWidth)}>
      <path
        d="M8.200 20.500v-5.200c-2-1.700-3.700-3.900-4.600-6.300-.4-1.300 1.500-2.300 2.500-1.200l2.300 2.700V6.200c0-5.200 9.200-5.200 9.600 0 .3 3.500-.4 6.200-1.800 9v5.300"
        strokeDasharray="2.800 1.800"
        strokeLinecap="round"
      />
      <path d="M7.500 20.500h9.500" strokeLinecap="round" />
    </svg>
  );
}

/** The tools, one column. */
export function ToolRail() {
  const tool = useBench((b) => b.tool);
  const carrying = useBench((b) => b.into !== null && "carrier" in b.into);
  return (
    <nav className="flex flex-col items-center gap-1.5 border-r border-line py-2" aria-label="Tools">
      {TOOLS.map(({ name, label, key, icon: Icon }) => (
        <IconButton
          key={name}
          label={label}
          shortcut={key}
          pressed={tool === name}
          className="size-10"
          onClick={() => takeTool(name)}
        >
          <Icon size={19} strokeWidth={1.7} />
        </IconButton>
      ))}
      <IconButton
        label="Draw the patch of a carrier"
        shortcut="M"
        pressed={carrying}
        className="size-10"
        onClick={() => drawRegion(null, "patch")}
      >
        <CarrierIcon size={19} strokeWidth={1.7} />
      </IconButton>
      <IconButton
        label="Look for hands and what passes, to begin covers with"
        shortcut="I"
        className="size-10"
        onClick={() => void proposeStarters()}
      >
        <MittenIcon size={19} strokeWidth={1.7} />
      </IconButton>
    </nav>
  );
}
