import { useEffect, useState } from "react";

import { api, data, type PlaceValues } from "../api/client";
import { usePointer } from "../state/view";
import { bench, useBench } from "../state/bench";
import { inDepth } from "../state/lookups";

const PAUSE = 90;

/** The matte and the colours under the pointer, where there is a subject to be judged. */
export function PointerValues() {
  const keyed = useBench((b) => inDepth(b).some((t) => t.kind === "subject") && b.look !== "plate");
  const at = usePointer((p) => p.at);
  const frame = useBench((b) => b.frame);
  const revision = useBench((b) => b.shot!.revision);
  const [values, setValues] = useState<PlaceValues | null>(null);
  const x = at?.[0];
  const y = at?.[1];
  useEffect(() => {
    if (!keyed || x === undefined || y === undefined) return;
    const { plate, id } = bench().shot!;
    if (x < 0 || y < 0 || x >= plate.width || y >= plate.height) return;
    let current = true;
    const timer = setTimeout(() => {
      const params = { path: { shot_id: id, frame }, query: { x, y } };
      data<PlaceValues>(api.GET("/api/shots/{shot_id}/values/{frame}", { params }))
        .then((found) => current && setValues(found))
        .catch(() => undefined);
    }, PAUSE);
    return () => {
      current = false;
      clearTimeout(timer);
    };
  }, [keyed, x, y, frame, revision]);
  if (!keyed || !at || !values) return null;
  const bytes = (colour: number[]) =>
    colour.map((v) => String(Math.round(v * 255)).padStart(3, " ")).join(" ");
  return (
    <span
      className="flex shrink-0 items-center gap-1.5 text-[13px] whitespace-pre text-ink-soft"
      data-testid="values"
      title={`Matte; red, green, blue of the plate (${bytes(values.plate)}) and of the subject (${bytes(values.subject)})`}
    >
      <b className="text-ink">{values.alpha.toFixed(3)}</b>
      <Swatch colour={values.plate} />
      <Swatch colour={values.subject} />
    </span>
  );
}

function Swatch({ colour }: { colour: number[] }) {
  const [r, g, b] = colour.map((v) => Math.round(v * 255));
  return (
    <span className="size-4 rounded-[4px] border border-line" style={{ background: `rgb(${r} ${g} ${b})` }} />
  );
}
