import { usePointer, useView } from "../state/view";
import { Button } from "../ui/Button";
import { setBench, useBench } from "../state/bench";
import { PointerValues } from "./PointerValues";
import { DividerButton } from "./DividerLine";
import { DrawingMenu, LookOptions } from "./LookOptions";
import { LOOKS } from "../state/looks";

/** Where the pointer is, by itself so that nothing else is drawn anew with each of its moves. */
function PointerPlace() {
  const at = usePointer((p) => p.at);
  return (
    <span
      className="w-[112px] min-w-0 shrink overflow-hidden text-right text-[13px] whitespace-pre text-ink-soft"
      data-testid="pointer"
    >
      {at && `x ${at[0].toFixed(1)}  y ${at[1].toFixed(1)}`}
    </span>
  );
}

/** What the viewer shows, where the pointer is, and the zoom. */
export function LookBar() {
  const look = useBench((b) => b.look);
  const zoom = useView((v) => v.zoom);
  const { fit, zoomTo } = useView.getState();
  return (
    <div
      className="flex h-9 min-w-0 shrink-0 items-center gap-1 overflow-hidden border-t border-line px-3"
      role="toolbar"
      aria-label="Looks"
    >
      {LOOKS.map(({ name, label }, i) => (
        <button
          key={name}
          type="button"
          aria-pressed={look === name}
          title={`${label}  (${i + 1})`}
          className={`h-7 rounded-md px-2 whitespace-nowrap ${look === name ? "bg-teal-soft font-semibold text-teal" : "hover:bg-cloth-sunk"}`}
          onClick={() => setBench({ look: name })}
        >
          <span className="pr-1.5 text-[12px] font-normal text-ink-soft">{i + 1}</span>
          {label}
        </button>
      ))}
      <LookOptions />
      <DividerButton />
      <span className="flex-1" />
      <DrawingMenu />
      <PointerValues />
      <PointerPlace />
      <span className="w-10 shrink-0 text-right whitespace-nowrap" data-testid="zoom">
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
