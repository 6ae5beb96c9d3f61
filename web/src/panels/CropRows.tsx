import type { Plate } from "../api/client";
import { send } from "../commands/send";
import { NumberField } from "../ui/NumberField";
import { Select } from "../ui/Select";
import { Row } from "./Row";

type Crop = [number, number, number, number];
/** Shapes of pictures that are common where pictures are shown, as width to height. */
const SHAPES: [string, number][] = [
  ["16:9", 16 / 9],
  ["1.85:1", 1.85],
  ["2.39:1", 2.39],
  ["4:3", 4 / 3],
  ["1:1", 1],
  ["4:5", 4 / 5],
  ["9:16", 9 / 16],
];
const ENDS = ["left", "top", "right", "bottom"] as const;

/** The largest part of a shape in the middle of the plate, in whole pixels. */
function middleOf({ width, height, pixel_aspect }: Plate, shape: number): Crop {
  const own = shape / pixel_aspect;
  const wide = Math.min(width, Math.round(height * own));
  const high = Math.min(height, Math.round(width / own));
  const [left, top] = [Math.floor((width - wide) / 2), Math.floor((height - high) / 2)];
  return [left, top, left + wide, top + high];
}

/** What of the plate will be seen in the end; the viewer dims the rest, and a delivery may hold only that. */
export function CropRows({ plate, crop }: { plate: Plate; crop: Crop | null }) {
  const set = (to: Crop | null) => void send({ type: "set-shot", crop: to });
  const same = (a: Crop) => crop !== null && a.every((v, i) => v === crop[i]);
  const known = SHAPES.find(([, shape]) => same(middleOf(plate, shape)))?.[0];
  return (
    <>
      <Row label="Crop">
        <Select
          label="Crop"
          options={[
            { value: "none", label: "Whole plate" },
            ...SHAPES.map(([name]) => ({ value: name, label: name })),
            ...(crop && !known ? [{ value: "own", label: "By hand" }] : []),
          ]}
          value={crop ? (known ?? "own") : "none"}
          onPick={(picked) => {
            const shape = SHAPES.find(([name]) => name === picked)?.[1];
            if (picked === "none") set(null);
            else if (shape) set(middleOf(plate, shape));
          }}
        />
      </Row>
      {crop && (
        <Row label="">
          <span className="grid grid-cols-2 gap-1">
            {ENDS.map((end, i) => (
              <NumberField
                key={end}
                label={`Crop ${end}`}
                caption={end}
                narrow
                value={crop[i]!}
                min={i < 2 ? 0 : crop[i - 2]! + 1}
                max={i < 2 ? crop[i + 2]! - 1 : i === 2 ? plate.width : plate.height}
                onCommit={(value) => set(crop.map((v, k) => (k === i ? Math.round(value) : v)) as Crop)}
              />
            ))}
          </span>
        </Row>
      )}
    </>
  );
}
