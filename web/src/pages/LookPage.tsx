import { useQuery, useQueryClient } from "@tanstack/react-query";
import { useCallback, type ReactNode } from "react";
import { Link } from "wouter";

import { api, data, type HolesState, type ShotReport, type ShotState } from "../api/client";
import { useNotice } from "../api/events";
import { lookForHoles } from "../commands/reviewing";
import { underWay, useJobs } from "../panels/JobLine";
import { Button } from "../ui/Button";
import { PageHeader } from "../ui/PageHeader";
import { Progress } from "../ui/Progress";

type Worst = ShotReport["worst"][number];
type OutlineReport = ShotReport["outlines"][number];
/** Plate pixels around a place that its picture shows. */
const ASIDE = 70;
/** Holes that are shown with pictures. */
const MOST_HOLES = 24;

/** The shot on one page: where it needs a hand, how its outlines fit and boil, what its motions are worth. */
export function LookPage({ id }: { id: string }) {
  const state = useQuery({
    queryKey: ["shot-now", id],
    queryFn: () => data<ShotState>(api.GET("/api/shots/{shot_id}", { params: { path: { shot_id: id } } })),
  });
  const report = useReport(id);
  if (state.error) return <main className="p-10">{state.error.message}</main>;
  const plate = state.data?.plate;
  const found = report.data;
  if (!plate || !found) return <main className="p-10 text-ink-soft">Looking at the shot …</main>;
  const judged = found.outlines.reduce((sum, o) => sum + o.fault.filter((f) => f != null).length, 0);
  const all = judged + found.left;
  return (
    <div className="flex h-full flex-col print:h-auto">
      <PageHeader title="Where to look" way={[{ href: `/shots/${id}`, name: found.shot }]} />
      <main className="min-h-0 flex-1 overflow-y-auto print:overflow-visible">
        <div className="mx-auto max-w-[980px] px-6 py-6">
          <div className="mb-6 flex items-baseline gap-6">
            <Fact name="Outlines" value={String(found.outlines.length)} />
            <Fact name="Keys" value={String(found.keys)} />
            <Fact name="Points" value={String(found.points)} />
            <Fact name="Notes open" value={String(found.notes.length)} />
            {found.seconds != null && found.budget != null && (
              <Fact
                name="Minutes"
                value={`${Math.round(found.seconds / 60)} of ${Math.round(found.budget / 60)}`}
              />
            )}
            <span className="ml-auto flex gap-2 print:hidden">
              <Button small title="Print this page, or save it as a PDF" onClick={() => window.print()}>
                Print
              </Button>
              <a
                href={`/api/shots/${id}/review/report`}
                download={`${found.shot}.review.json`}
                className="self-center text-teal hover:underline"
              >
                As JSON
              </a>
            </span>
          </div>
          {found.left > 0 && (
            <div className="mb-6 print:hidden" role="status">
              <p className="mb-1 text-ink-soft">
                {judged} of {all} shapes judged so far
              </p>
              <Progress share={judged / Math.max(all, 1)} label="Shapes judged" />
            </div>
          )}
          <h2 className="mb-3 text-[15px] font-semibold">Worst places</h2>
          {found.worst.length === 0 && (
            <p className="mb-6 text-ink-soft">
              {found.left > 0 ? "None so far." : "None: all outlines fit where it matters."}
            </p>
          )}
          <ul className="mb-8 grid grid-cols-3 gap-4">
            {found.worst.map((w) => (
              <WorstCard key={`${w.outline} ${w.frame}`} shot={id} plate={plate} worst={w} />
            ))}
          </ul>
          <Holes shot={id} plate={plate} found={found.holes} />
          <h2 className="mb-3 text-[15px] font-semibold">Outlines</h2>
          {found.outlines.length === 0 && (
            <p className="mb-6 text-ink-soft">No cover is shown, so there is nothing to judge.</p>
          )}
          {found.outlines.map((o) => (
            <OutlineBlock key={o.id} shot={id} found={o} />
          ))}
          {found.carriers.length > 0 && (
            <>
              <h2 className="mb-3 text-[15px] font-semibold">Motions</h2>
              <table className="mb-8 w-full text-left">
                <thead className="text-ink-soft">
                  <tr>
                    {["Carrier", "Solved", "Unsure", "Lost", "Jitter, mean", "Jitter, worst"].map((h) => (
                      <th key={h} className="py-1 pr-4 font-normal">
                        {h}
                      </th>
                    ))}
                  </tr>
                </thead>
                <tbody>
                  {found.carriers.map((c) => (
                    <tr key={c.name} className="border-t border-line">
                      <td className="py-1 pr-4">{c.name}</td>
                      <td className="pr-4">{c.solved}</td>
                      <td className="pr-4">{c.unsure}</td>
                      <td className="pr-4">{c.lost}</td>
                      <td className="pr-4">{c.jitter_mean.toFixed(3)} px</td>
                      <td>{c.jitter_worst.toFixed(3)} px</td>
                    </tr>
                  ))}
                </tbody>
              </table>
            </>
          )}
          {found.panes.map((p) => (
            <div key={p.name} className="mb-8">
              <h2 className="mb-1 text-[15px] font-semibold">Flicker of the holdout of {p.name}</h2>
              <Curve values={p.flicker} first={p.first} unit="px² a frame" />
            </div>
          ))}
        </div>
      </main>
    </div>
  );
}

/** The report, asked for again while verdicts are still coming; asking for them makes them. */
function useReport(id: string) {
  return useQuery({
    queryKey: ["report", id],
    queryFn: async () => {
      const params = { path: { shot_id: id } };
      await data(api.GET("/api/shots/{shot_id}/review", { params: { ...params, query: { seconds: 1 } } }));
      return data<ShotReport>(api.GET("/api/shots/{shot_id}/review/report", { params }));
    },
    refetchInterval: ({ state }) => (state.data && state.data.left > 0 ? 500 : false),
  });
}

function Fact({ name, value }: { name: string; value: string }) {
  return (
    <span className="whitespace-nowrap">
      <span className="text-ink-soft">{name}</span> <span className="tabular-nums">{value}</span>
    </span>
  );
}

function WorstCard({ shot, plate, worst }: { shot: string; plate: ShotState["plate"]; worst: Worst }) {
  return (
    <PlaceCard
      href={`/shots/${shot}#${worst.frame} ${worst.outline}`}
      source={`/api/clips/${plate.media}/full/${worst.frame - plate.first}.jpg`}
      plate={plate}
      places={worst.places as [number, number][]}
      ghost={worst.ghost as [number, number][]}
      testId="worst"
    >
      {worst.cover}, frame {worst.frame}
      <span className="block text-ink-soft">
        {worst.carried ? "in doubt since it was carried there" : `off by ${worst.fault.toFixed(1)} px`}
      </span>
    </PlaceCard>
  );
}

/** A place as it is and, beside it, marked; a way there. */
function PlaceCard(props: {
  href: string;
  source: string;
  plate: ShotState["plate"];
  places: [number, number][];
  ghost: [number, number][];
  testId: string;
  children: ReactNode;
}) {
  const { href, source, plate, places, ghost, testId, children } = props;
  const all = [...places, ...ghost];
  const xs = all.map(([x]) => x);
  const ys = all.map(([, y]) => y);
  const half = Math.max(Math.max(...xs) - Math.min(...xs), Math.max(...ys) - Math.min(...ys)) / 2 + ASIDE;
  const x = (Math.max(...xs) + Math.min(...xs)) / 2 - half;
  const y = (Math.max(...ys) + Math.min(...ys)) / 2 - half;
  const picture = (marked: boolean) => (
    <svg viewBox={`${x} ${y} ${2 * half} ${2 * half}`} className="w-1/2 bg-cloth-sunk" aria-hidden>
      <image href={source} width={plate.width} height={plate.height} />
      {marked && (
        <g fill="none" strokeLinecap="round" vectorEffect="non-scaling-stroke">
          <polyline
            points={ghost.map((p) => p.join(",")).join(" ")}
            stroke="#6cc0b3"
            strokeWidth={half / 70}
            strokeDasharray={`${half / 40} ${half / 40}`}
          />
          <polyline
            points={places.map((p) => p.join(",")).join(" ")}
            stroke="#e0a13a"
            strokeWidth={half / 60}
          />
        </g>
      )}
    </svg>
  );
  return (
    <li className="break-inside-avoid" data-testid={testId}>
      <Link
        href={href}
        className="block overflow-hidden rounded-md border border-line hover:border-teal"
        title="Go there in the workbench"
      >
        <span className="flex gap-px">
          {picture(false)}
          {picture(true)}
        </span>
        <span className="block px-3 py-2">{children}</span>
      </Link>
    </li>
  );
}

/** Places that the holdout misses, or takes too much, and a way to have them looked for. */
function Holes({
  shot,
  plate,
  found,
}: {
  shot: string;
  plate: ShotState["plate"];
  found: ShotReport["holes"];
}) {
  const queries = useQueryClient();
  const { job } = underWay(useJobs(shot).data?.filter((j) => j.kind === "holes"));
  const state = useQuery({
    queryKey: ["holes", shot],
    queryFn: () =>
      data<HolesState>(api.GET("/api/shots/{shot_id}/review/holes", { params: { path: { shot_id: shot } } })),
  });
  useNotice(
    useCallback(
      (notice) => {
        if (notice.topic !== "job" || notice.state !== "done") return;
        void queries.invalidateQueries({ queryKey: ["holes", shot] });
        void queries.invalidateQueries({ queryKey: ["report", shot] });
      },
      [queries, shot],
    ),
  );
  const revision = state.data?.revision ?? null;
  return (
    <section className="mb-8" data-testid="holes">
      <div className="mb-3 flex items-baseline gap-3">
        <h2 className="text-[15px] font-semibold">Holes in the holdout</h2>
        <span className="text-ink-soft">
          {job
            ? "Looking through the panes …"
            : revision === null
              ? "Not looked for yet."
              : found.length === 0
                ? "None was found."
                : `${found.length} found on revision ${revision} and still there.`}
        </span>
        {!job && (
          <span className="ml-auto print:hidden">
            <Button
              small
              title="Compare each pane with what is known to be behind it: things that nothing holds out, and covers that are too wide"
              onClick={() => void lookForHoles(shot)}
            >
              {revision === null ? "Look for holes" : "Look again"}
            </Button>
          </span>
        )}
      </div>
      <ul className="grid grid-cols-3 gap-4">
        {found.slice(0, MOST_HOLES).map((hole, i) => (
          <PlaceCard
            key={i}
            href={`/shots/${shot}#${hole.frame} ${hole.pane_id}`}
            source={`/api/clips/${plate.media}/full/${hole.frame - plate.first}.jpg`}
            plate={plate}
            places={closed(hole.outline.map(([x, y]) => [x!, y!]))}
            ghost={[]}
            testId="found-hole"
          >
            {hole.pane}, frame {hole.frame}
            <span className="block text-ink-soft">
              {hole.what === "open"
                ? "something is there that nothing holds out"
                : "the bare pane is held out"}
            </span>
          </PlaceCard>
        ))}
      </ul>
    </section>
  );
}

const closed = (line: [number, number][]) => (line[0] ? [...line, line[0]] : line);

const runsText = (runs: [number, number][]) =>
  runs.map(([a, b]) => (a === b ? String(a) : `${a} to ${b}`)).join(", ");

function OutlineBlock({ found, shot }: { found: OutlineReport; shot: string }) {
  return (
    <section className="mb-8 break-inside-avoid">
      <h3 className="font-medium">{found.cover}</h3>
      <p className="mb-2 text-ink-soft">
        {found.keys} keys of {found.points} points.{" "}
        {found.matters.length
          ? `It matters on ${runsText(found.matters)}.`
          : "It lies over nothing that is put in."}{" "}
        {found.overworked.length > 0 &&
          `Keys ${runsText(found.overworked)} stand close together and make it boil.`}
      </p>
      <div className="grid grid-cols-2 gap-4">
        <Curve values={found.fault} first={found.first} unit="px off" shot={shot} outline={found.id} />
        <Curve values={found.boil} first={found.first} unit="px of boil" shot={shot} outline={found.id} />
      </div>
    </section>
  );
}

/** A number for each frame as a curve; its worst frame is named, and is a way there. */
function Curve(props: {
  values: (number | null)[];
  first: number;
  unit: string;
  shot?: string;
  outline?: string;
}) {
  const { values, first, unit, shot, outline } = props;
  const known = values.map((v) => v ?? 0);
  const most = Math.max(...known, 1e-6);
  const at = known.indexOf(Math.max(...known));
  const step = 1000 / Math.max(values.length - 1, 1);
  let path = "";
  values.forEach((v, i) => {
    if (v != null)
      path += `${values[i - 1] == null ? "M" : "L"}${(i * step).toFixed(1)} ${(58 - (52 * v) / most).toFixed(1)}`;
  });
  const words = `at most ${most < 0.005 ? "0" : most.toFixed(2)} ${unit}, on frame ${first + at}`;
  return (
    <figure>
      <svg
        viewBox="0 0 1000 64"
        preserveAspectRatio="none"
        className="h-14 w-full rounded-md bg-cloth-sunk"
        role="img"
        aria-label={words}
      >
        <path
          d={path}
          fill="none"
          className="stroke-teal"
          strokeWidth={1.6}
          vectorEffect="non-scaling-stroke"
        />
      </svg>
      <figcaption className="text-[13px] text-ink-soft">
        {shot && outline ? (
          <Link href={`/shots/${shot}#${first + at} ${outline}`} className="hover:text-ink hover:underline">
            {words}
          </Link>
        ) : (
          words
        )}
      </figcaption>
    </figure>
  );
}
