import { useView } from "../../viewer/view";
import { Button } from "../../ui/Button";
import { setBench, useBench, type Look } from "./bench";

export const LOOKS: { name: Look; label: string }[] = [
  { name: "plate", label: "Plate" },
  { name: "matte", label: "Matte" },
  { name: "cutout", label: "Cut-out" },
  { name: "composite", label: "Composite" },
];

/** What the viewer shows, where the pointer is, and the zoom. */
export function LookBar({ pointer }: { pointer: [number, number] | null }) {
  const look = useBench((b) => b.look);
  const zoom = useView((v) => v.zoom);
  const { fit, zoomTo } = useView.getState();
  return (
    <div
      className="flex h-9 shrink-0 items-center gap-1 border-t border-line px-3"
      role="toolbar"
      aria-label="Looks"
    >
      {LOOKS.map(({ name, label }, i) => (
        <button
          key={name}
          type="button"
          aria-pressed={look === name}
          title={`${label}  (${i + 1})`}
          className={`h-7 rounded-md px-2.5 ${look === name ? "bg-teal-soft font-semibold text-teal" : "hover:bg-cloth-sunk"}`}
          onClick={() => setBench({ look: name })}
        >
          <span className="pr-1.5 text-[12px] font-normal text-ink-soft">{i + 1}</span>
          {label}
        </button>
      ))}
      <span className="flex-1" />
      <span className="w-32 text-right whitespace-pre text-ink-soft" data-testid="pointer">
        {pointer && `x ${pointer[0].toFixed(1)}  y ${pointer[1].toFixed(1)}`}
      </span>
      <span className="w-14 text-right" data-testid="zoom">
        {Math.round(zoom * 100)} %
      </span>
      <Button look="quiet" small title="Fit the plate  (F)" onClick={fit}>
        Fit
      </Button>
      <Button look="quiet" small title="Plate pixels as they are  (0)" onClick={() => zoomTo(1)}>
        100 %
      </Button>
    </div>
  );
}
