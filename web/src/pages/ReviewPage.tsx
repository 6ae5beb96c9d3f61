import { useQuery } from "@tanstack/react-query";
import { Pause, Play } from "lucide-react";
import { useEffect, useState } from "react";
import { useHotkeys } from "react-hotkeys-hook";

import { api, data, type ShotState } from "../api/client";
import { NoteRows, useNotes } from "../panels/NoteRows";
import { useVersions } from "../state/versions";
import { lastFrame } from "../state/plate";
import { Choice, IconButton } from "../ui/Button";
import { NotePin } from "../ui/NotePin";
import { PageHeader } from "../ui/PageHeader";

const LOOKS = [
  { value: "composite", label: "Composite", title: "The finished picture" },
  { value: "matte", label: "Holdout", title: "What stays in front" },
  { value: "plate", label: "Plate", title: "As it was shot" },
] as const;
type Look = (typeof LOOKS)[number]["value"];

/** A version of a shot to be looked at and spoken about: it plays, and takes notes; nothing of it can be changed. */
export function ReviewPage({ id, number }: { id: string; number: number }) {
  const version = useVersions(id).data?.find((v) => v.number === number);
  const state = useQuery({
    queryKey: ["version", id, number],
    queryFn: () =>
      data<ShotState>(
        api.GET("/api/shots/{shot_id}/versions/{number}", { params: { path: { shot_id: id, number } } }),
      ),
    staleTime: Infinity,
  });
  if (state.error) return <main className="p-10">{state.error.message}</main>;
  if (!state.data) return <main className="p-10 text-ink-soft">Opening the version …</main>;
  const settings = state.data.elements.settings;
  const called = settings?.kind === "settings" ? settings.name : "Shot";
  return (
    <div className="flex h-full flex-col">
      <PageHeader
        title={[version?.label, version?.name !== version?.label && version?.name].filter(Boolean).join(" ")}
        way={[{ href: `/shots/${id}`, name: called }]}
      />
      <Player
        id={id}
        number={number}
        plate={state.data.plate}
        crop={settings?.kind === "settings" ? (settings.crop ?? null) : null}
        comment={version?.comment ?? ""}
      />
    </div>
  );
}

function Player(props: {
  id: string;
  number: number;
  plate: ShotState["plate"];
  crop: [number, number, number, number] | null;
  comment: string;
}) {
  const { id, number, plate, crop, comment } = props;
  const [frame, setFrame] = useState(plate.first);
  const [look, setLook] = useState<Look>("composite");
  const [playing, setPlaying] = useState(false);
  const [place, setPlace] = useState<[number, number] | null>(null);
  const last = lastFrame(plate);
  const notes = useNotes(id).data ?? [];
  const source = (at: number) => `/api/shots/${id}/versions/${number}/looks/${look}/${at}`;

  useEffect(() => {
    if (!playing) return;
    // The next frame comes when its time has come and its picture is there.
    let stopped = false;
    let at = frame;
    let due = performance.now();
    const step = async () => {
      while (!stopped) {
        at = at >= last ? plate.first : at + 1;
        due = Math.max(due + (1000 * plate.rate_den) / plate.rate_num, performance.now() - 200);
        const next = new Image();
        next.src = source(at);
        await next.decode().catch(() => undefined);
        await new Promise((done) => setTimeout(done, Math.max(due - performance.now(), 0)));
        if (!stopped) setFrame(at);
      }
    };
    void step();
    return () => {
      stopped = true;
    };
    // Frame is where it starts from, and is not to start it again.
    // eslint-disable-next-line react-hooks/exhaustive-deps
  }, [playing, look]);

  const go = (to: number) => {
    setPlaying(false);
    setPlace(null);
    setFrame(Math.min(Math.max(to, plate.first), last));
  };
  useHotkeys("space", () => setPlaying((now) => !now), { preventDefault: true });
  useHotkeys("right", () => go(frame + 1), { preventDefault: true });
  useHotkeys("left", () => go(frame - 1), { preventDefault: true });
  return (
    <main className="grid min-h-0 flex-1 grid-cols-[minmax(0,1fr)_300px]">
      <section className="flex min-h-0 flex-col" aria-label="Version">
        <div className="relative flex min-h-0 flex-1 items-center justify-center bg-[#747474] p-3">
          <div
            className="relative max-h-full"
            style={{ aspectRatio: `${plate.width * plate.pixel_aspect} / ${plate.height}` }}
          >
            <button
              type="button"
              className="block cursor-crosshair"
              aria-label="Pin the next note to a place of the picture"
              onClick={(event) => {
                const box = event.currentTarget.getBoundingClientRect();
                setPlace([
                  ((event.clientX - box.left) / box.width) * plate.width,
                  ((event.clientY - box.top) / box.height) * plate.height,
                ]);
              }}
            >
              <img
                alt={`Frame ${frame}`}
                src={source(frame)}
                className="block max-h-[calc(100vh-170px)] max-w-full"
              />
            </button>
            <svg
              className="pointer-events-none absolute inset-0 size-full"
              viewBox={`0 0 ${plate.width} ${plate.height}`}
              preserveAspectRatio="none"
            >
              {crop && (
                <path
                  data-testid="outside-crop"
                  fillRule="evenodd"
                  fill="rgb(12 16 17 / 0.62)"
                  d={`M0 0H${plate.width}V${plate.height}H0ZM${crop[0]} ${crop[1]}V${crop[3]}H${crop[2]}V${crop[1]}Z`}
                />
              )}
              {notes.map((note, i) =>
                note.frame === frame && note.x !== null && note.y !== null ? (
                  <NotePin
                    key={note.id}
                    x={note.x}
                    y={note.y}
                    number={i + 1}
                    done={note.done}
                    size={plate.width / 720}
                  />
                ) : null,
              )}
              {place && (
                <NotePin x={place[0]} y={place[1]} number={notes.length + 1} done size={plate.width / 720} />
              )}
            </svg>
          </div>
        </div>
        <div className="flex h-12 items-center gap-3 border-t border-line px-3">
          <IconButton
            label={playing ? "Stop" : "Play"}
            shortcut="Space"
            className="size-8"
            onClick={() => setPlaying(!playing)}
          >
            {playing ? <Pause size={18} /> : <Play size={18} />}
          </IconButton>
          <span className="w-12 font-semibold tabular-nums" data-testid="review-frame">
            {frame}
          </span>
          <input
            type="range"
            aria-label="Frame"
            className="min-w-0 flex-1"
            min={plate.first}
            max={last}
            value={frame}
            onChange={(event) => go(Number(event.target.value))}
          />
          <Choice options={[...LOOKS]} value={look} onPick={setLook} />
        </div>
      </section>
      <aside className="min-h-0 overflow-y-auto border-l border-line p-3" aria-label="Notes">
        {comment && <p className="mb-3">{comment}</p>}
        <h2 className="mb-1 font-semibold">Notes</h2>
        <p className="mb-2 text-[13px] text-ink-soft">Click on the picture to pin the next one to a place.</p>
        <NoteRows
          shot={id}
          frame={frame}
          version={number}
          place={place}
          goTo={go}
          placed={() => setPlace(null)}
        />
      </aside>
    </main>
  );
}
