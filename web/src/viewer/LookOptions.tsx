import { Popover, PopoverButton, PopoverPanel } from "@headlessui/react";
import { SlidersHorizontal } from "lucide-react";

import { Choice } from "../ui/Button";
import { Select } from "../ui/Select";
import { inDepth } from "../state/lookups";
import { setBench, useBench } from "../state/bench";
import type { MatteStyle, Scope } from "../state/slices/looks";

const SCOPES: { value: Scope; label: string; title: string }[] = [
  { value: "all", label: "All", title: "The union of all covers and subjects that are shown" },
  { value: "cover", label: "Cover", title: "The selected cover alone" },
  { value: "chosen", label: "Chosen", title: "All chosen covers, as by Shift in the depth list" },
];

const STYLES: { value: MatteStyle; label: string; title: string }[] = [
  { value: "plain", label: "White", title: "White on black" },
  { value: "tint", label: "Tint", title: "Each cover's colour on the plate" },
  { value: "edges", label: "Edges", title: "Only where the edge is soft, between inner and outer" },
];

/** Styles that say something of keyed subjects. */
const KEYED: { value: MatteStyle; label: string; title: string }[] = [
  { value: "state", label: "State", title: "Three tones: fully out, fully in, and what is in between" },
  { value: "spill", label: "Spill", title: "What is taken out of the subject's colours as spill" },
];

/** Grounds for cut-outs: one click goes to the next. */
const GROUNDS = ["checks", "#808080", "#000000", "#ffffff", "#c81e5a", "#1e6fd0", "blurred", "picture"];
const GROUND_NAMES: Record<string, string> = { blurred: "Blurred plate", picture: "Picture behind" };

/** What the matte and the cut-out look like. */
export function LookOptions() {
  const look = useBench((b) => b.look);
  const scope = useBench((b) => b.scope);
  const style = useBench((b) => b.style);
  const ground = useBench((b) => b.ground);
  const keyed = useBench((b) => inDepth(b).some((t) => t.kind === "subject"));
  if (look === "composite") return <StandIns />;
  if (look !== "matte" && look !== "cutout") return null;
  const next = GROUNDS[(GROUNDS.indexOf(ground) + 1) % GROUNDS.length]!;
  return (
    <span className="ml-1 flex items-center gap-1.5 border-l border-line pl-2.5">
      {keyed ? (
        <span className="flex w-[72px]" title={SCOPES.find((s) => s.value === scope)?.title}>
          <Select
            label="What counts"
            options={SCOPES}
            value={scope}
            onPick={(s) => setBench({ scope: s as Scope })}
          />
        </span>
      ) : (
        <Choice options={SCOPES} value={scope} onPick={(s) => setBench({ scope: s })} />
      )}
      {look === "matte" ? (
        keyed ? (
          <span className="flex w-[74px]" title={[...STYLES, ...KEYED].find((s) => s.value === style)?.title}>
            <Select
              label="Style of the matte"
              options={[...STYLES, ...KEYED]}
              value={style}
              onPick={(s) => setBench({ style: s as MatteStyle })}
            />
          </span>
        ) : (
          <Choice options={STYLES} value={style} onPick={(s) => setBench({ style: s })} />
        )
      ) : (
        <button
          type="button"
          aria-label="Ground of the cut-out"
          title="Ground: a click takes the next colour, the plate out of focus, or the picture behind"
          className="flex h-7 items-center gap-1.5 rounded-md border border-line px-2 hover:bg-cloth-sunk"
          onClick={() => setBench({ ground: next })}
        >
          <span
            className="size-4 rounded-[4px] border border-line"
            style={{
              background:
                ground === "checks"
                  ? "repeating-conic-gradient(#aaa 0 25%, #eee 0 50%) 0 / 8px 8px"
                  : ground.startsWith("#")
                    ? ground
                    : "linear-gradient(135deg, #243b4a, #6b8f5a, #d9b36c)",
            }}
          />
          {GROUND_NAMES[ground] ?? "Ground"}
        </button>
      )}
    </span>
  );
}

/** Colours that judge an edge: bright, dark, and two that no hand and no leaf has. */
const STAND_INS = ["#c81e5a", "#1e6fd0", "#f4f4f4", "#101010"];
const STOOD_FOR = [
  ["plate", "Plate"],
  ["insert", "Insert"],
] as const;

/** A plain colour instead of the plate or of what is put in, for a while: edges show on it. */
function StandIns() {
  const standIns = useBench((b) => b.standIns);
  const any = standIns.plate ?? standIns.insert;
  return (
    <Popover className="relative ml-1 border-l border-line pl-1.5">
      <PopoverButton
        aria-label="Stand-ins"
        title="A colour instead of the plate or the insert, to see edges"
        className={`flex h-7 items-center gap-1.5 rounded-md px-2 whitespace-nowrap hover:bg-cloth-sunk ${any ? "text-teal" : ""}`}
      >
        <span className="flex size-4 overflow-hidden rounded-[4px] border border-line" aria-hidden>
          <span className="flex-1" style={{ background: standIns.plate ?? "#767676" }} />
          <span className="flex-1" style={{ background: standIns.insert ?? "#d9d2c2" }} />
        </span>
      </PopoverButton>
      <PopoverPanel
        anchor="top start"
        className="z-20 rounded-md border border-line bg-cloth p-3 shadow-md [--anchor-gap:6px]"
      >
        {STOOD_FOR.map(([of, label]) => (
          <div
            key={of}
            className="mb-1.5 grid grid-cols-[50px_1fr] items-center gap-2"
            role="group"
            aria-label={`Instead of the ${of}`}
          >
            {label}
            <span className="flex gap-1.5">
              {[null, ...STAND_INS].map((colour) => (
                <button
                  key={colour ?? "itself"}
                  type="button"
                  aria-label={colour ? `${label} in ${colour}` : `${label} itself`}
                  aria-pressed={standIns[of] === colour}
                  className={`h-6 rounded-md border-2 px-1.5 text-[12px] ${standIns[of] === colour ? "border-teal" : "border-line"}`}
                  style={colour ? { background: colour, width: 26 } : undefined}
                  onClick={() => setBench({ standIns: { ...standIns, [of]: colour } })}
                >
                  {colour ? "" : "itself"}
                </button>
              ))}
            </span>
          </div>
        ))}
      </PopoverPanel>
    </Popover>
  );
}

const COLOURS: (string | null)[] = [null, "#ffffff", "#f0e442", "#56b4e9", "#d55e00"];

/** How the drawing over the picture looks. */
export function DrawingMenu() {
  const pencil = useBench((b) => b.pencil);
  const set = (change: Partial<typeof pencil>) => setBench({ pencil: { ...pencil, ...change } });
  return (
    <Popover className="relative">
      <PopoverButton
        title="How the drawing looks"
        className="flex h-7 items-center gap-1.5 rounded-md px-2 hover:bg-cloth-sunk"
      >
        <SlidersHorizontal size={15} aria-label="Lines" />
      </PopoverButton>
      <PopoverPanel
        anchor="top end"
        className="z-20 w-80 rounded-md border border-line bg-cloth p-3 shadow-md [--anchor-gap:6px]"
      >
        <label className="mb-2 grid grid-cols-[70px_1fr_44px] items-center gap-2">
          Opacity
          <input
            type="range"
            className="min-w-0"
            aria-label="Opacity of the drawing"
            min={0.1}
            max={1}
            step={0.05}
            value={pencil.opacity}
            onChange={(event) => set({ opacity: Number(event.target.value) })}
          />
          <span className="text-right">{Math.round(pencil.opacity * 100)} %</span>
        </label>
        <label className="mb-2 grid grid-cols-[70px_1fr_44px] items-center gap-2">
          Width
          <input
            type="range"
            className="min-w-0"
            aria-label="Width of the lines"
            min={0.6}
            max={4}
            step={0.2}
            value={pencil.width}
            onChange={(event) => set({ width: Number(event.target.value) })}
          />
          <span className="text-right">{pencil.width.toFixed(1)}</span>
        </label>
        <div className="grid grid-cols-[70px_1fr] items-center gap-2">
          Colour
          <span className="flex gap-1.5">
            {COLOURS.map((colour) => (
              <button
                key={colour ?? "own"}
                type="button"
                title={colour ?? "Each cover's own"}
                aria-pressed={pencil.colour === colour}
                className={`h-6 rounded-md border-2 px-1.5 text-[12px] ${pencil.colour === colour ? "border-teal" : "border-line"}`}
                style={colour ? { background: colour, width: 26 } : undefined}
                onClick={() => set({ colour })}
              >
                {colour ? "" : "own"}
              </button>
            ))}
          </span>
        </div>
      </PopoverPanel>
    </Popover>
  );
}
