import { Plus, X } from "lucide-react";

import type { DeliveryItem, Presets } from "../api/client";
import { Button, IconButton } from "../ui/Button";
import { Select } from "../ui/Select";
import { TextField } from "../ui/TextField";

type What = DeliveryItem["what"];
type Form = DeliveryItem["form"];

const WHATS: Record<What, string> = {
  union: "Matte of all together",
  cover: "Matte of each cover",
  group: "Matte of each group",
  holdout: "Holdout of each pane",
  subject: "Matte of each subject",
  band: "Soft band alone",
  cut: "Cut out, with own colours",
  composite: "Composite",
  clean: "Clean pane",
  motion: "Motion of each pane",
  outlines: "Outlines",
  shot: "The shot itself",
  timeline: "Timeline with notes",
  contact: "Contact sheet",
};
const FORMS: Record<Form, string> = {
  png8: "PNG, 8 bit",
  png16: "PNG, 16 bit",
  tiff16: "TIFF, 16 bit",
  "exr-half": "EXR, half",
  "exr-float": "EXR, float",
  mp4: "H.264 mp4",
  webm: "VP9 WebM, alpha",
  ffv1: "FFV1 mkv, lossless",
  prores: "ProRes 4444 mov",
  csv: "CSV",
  json: "JSON",
  svg: "SVG for each frame",
  "svg-moving": "SVG, moving",
  lottie: "Lottie",
  coco: "COCO, polygons",
  "coco-rle": "COCO, run lengths",
  otio: "OpenTimelineIO",
  pdf: "PDF",
};
/** What is of the whole shot, and so has no names to choose. */
const WHOLE: What[] = ["union", "band", "composite", "shot", "timeline", "contact"];

export const PLAIN: DeliveryItem = {
  what: "union",
  form: "png8",
  names: [],
  together: "no",
  premultiplied: false,
  units: "pixels",
  origin: "top",
  insert: [1920, 1080],
  moments: 1,
};

interface Editing {
  items: DeliveryItem[];
  known: Presets;
  change: (items: DeliveryItem[]) => void;
}

/** What goes out, a line for each thing and form. */
export function DeliveryItems({ items, known, change }: Editing) {
  const put = (at: number, item: DeliveryItem) => change(items.map((old, i) => (i === at ? item : old)));
  return (
    <>
      <ul className="border-t border-line">
        {items.map((item, at) => (
          <li key={at} className="border-b border-line py-1.5" data-testid="item">
            <div className="flex items-center gap-2">
              <Select
                label={`What, ${at + 1}`}
                options={Object.entries(WHATS).map(([value, label]) => ({ value, label }))}
                value={item.what}
                onPick={(what) => put(at, reshaped(item, what as What, known))}
              />
              <Select
                label={`Form, ${at + 1}`}
                options={known.forms[item.what]!.map((value) => ({ value, label: FORMS[value] }))}
                value={item.form}
                onPick={(form) => put(at, { ...item, form: form as Form })}
              />
              <IconButton
                label={`Leave out ${WHATS[item.what]}`}
                className="size-7 text-ink-soft"
                onClick={() => change(items.filter((_, i) => i !== at))}
              >
                <X size={15} />
              </IconButton>
            </div>
            <More item={item} put={(next) => put(at, next)} at={at} />
          </li>
        ))}
      </ul>
      <Button small className="mt-2" onClick={() => change([...items, PLAIN])}>
        <Plus size={14} /> Add
      </Button>
    </>
  );
}

/** The same line about something else, in a form that this can have. */
function reshaped(item: DeliveryItem, what: What, known: Presets): DeliveryItem {
  const forms = known.forms[what]!;
  return { ...PLAIN, what, form: forms.includes(item.form) ? item.form : forms[0]! };
}

/** What some things and forms let one choose besides. */
function More({ item, put, at }: { item: DeliveryItem; put: (item: DeliveryItem) => void; at: number }) {
  const layered = item.form.startsWith("exr") && !WHOLE.includes(item.what) && item.what !== "cut";
  if (WHOLE.includes(item.what) && item.what !== "cut") return null;
  return (
    <div className="flex flex-wrap items-center gap-x-3 gap-y-1 pt-1.5 pr-9">
      <TextField
        label={`Only these, ${at + 1}`}
        className="w-44"
        value={item.names.join(", ") || "All that are shown"}
        onCommit={(text) =>
          put({
            ...item,
            names: text === "All that are shown" ? [] : text.split(",").flatMap((n) => n.trim() || []),
          })
        }
      />
      {layered && (
        <Select
          label={`In one file, ${at + 1}`}
          options={[
            { value: "no", label: "A file each" },
            { value: "channels", label: "Channels of one file" },
            { value: "parts", label: "Parts of one file" },
          ]}
          value={item.together}
          onPick={(together) => put({ ...item, together: together as DeliveryItem["together"] })}
        />
      )}
      {item.what === "cut" && !item.form.startsWith("exr") && (
        <label className="flex items-center gap-1.5">
          <input
            type="checkbox"
            className="accent-teal"
            checked={item.premultiplied}
            onChange={(event) => put({ ...item, premultiplied: event.target.checked })}
          />
          Premultiplied
        </label>
      )}
      {item.what === "motion" && (
        <Select
          label={`Measured, ${at + 1}`}
          options={[
            { value: "pixels top", label: "Pixels, from the top" },
            { value: "pixels bottom", label: "Pixels, from the bottom" },
            { value: "share top", label: "0 to 1, from the top" },
            { value: "share bottom", label: "0 to 1, from the bottom" },
          ]}
          value={`${item.units} ${item.origin}`}
          onPick={(chosen) => {
            const [units, origin] = chosen.split(" ") as [DeliveryItem["units"], DeliveryItem["origin"]];
            put({ ...item, units, origin });
          }}
        />
      )}
    </div>
  );
}
