import { Finder } from "./Finder";
import { markLooked } from "../state/looked";
import { useQuery } from "@tanstack/react-query";
import { useCallback, useEffect, useRef } from "react";

import { api, data, say, type ShotState } from "../api/client";
import { useNotice, type Notice } from "../api/events";
import { Button } from "../ui/Button";
import { useWorksAhead } from "../state/ahead";
import { useView } from "../state/view";
import { Viewer } from "../viewer/Viewer";
import { adopt, bench, setBench, useBench, useFrame } from "../state/bench";
import { DepthPanel } from "../panels/DepthPanel";
import { DetailsPanel } from "../panels/DetailsPanel";
import { FrameStrip } from "../strip/FrameStrip";
import { firstRows, loadGeometry, takeIn } from "../commands/geometry";
import { LookBar } from "../viewer/LookBar";
import { catchUp } from "../commands/send";
import { CarrierList } from "../panels/Carriers";
import { goToDoubt, keepReviewing, lookAgain, markFrame } from "../commands/reviewing";
import { doubtful, loadDoubts, solvingEnded, watchSolving } from "../commands/solving";
import { ToolRail } from "../panels/ToolRail";
import { Grip, useSizes } from "../ui/Grip";
import { TopBar } from "./TopBar";
import { useWorkbenchKeys } from "./useWorkbenchKeys";

/** The page on which a shot is worked on. */
export function Workbench({ id }: { id: string }) {
  const loaded = useBench((b) => b.shot?.id === id);
  const asked = useRef(performance.now());
  const aside = useRef<HTMLElement>(null);
  const sides = useSizes((s) => s.sizes.aside);
  useWorkbenchKeys();

  const query = useQuery({
    queryKey: ["bench", id],
    queryFn: async () => {
      const path = { shot_id: id };
      const state = await data<ShotState>(api.GET("/api/shots/{shot_id}", { params: { path } }));
      return { state, rows: await firstRows(state) };
    },
    gcTime: 0,
    staleTime: Infinity,
  });
  useEffect(() => {
    if (!query.data) return;
    const { state, rows } = query.data;
    const { plate } = state;
    const { first } = plate;
    adopt(state);
    // Taken in at the same time, the lines are drawn together with the page.
    if (rows) takeIn(first, first, rows);
    const [at, about] = decodeURIComponent(location.hash.slice(1)).split(" ");
    if (at && Number.isInteger(Number(at))) goToDoubt(Number(at), about ?? "");
    // The other frames wait until the page with this one is on the display.
    requestAnimationFrame(() => setTimeout(() => loadGeometry().catch(say)));
    useView.getState().setPlate(plate.width, plate.height, plate.pixel_aspect);
    performance.measure("open", { start: asked.current, end: performance.now() });
  }, [query.data]);
  useEffect(
    () => () =>
      setBench({ shot: null, playing: false, draft: null, drag: null, selected: null, active: null }),
    [],
  );

  useNotice(
    useCallback((notice: Notice) => {
      const { shot } = bench();
      if (notice.topic === "shot" && notice.shot === shot?.id && notice.revision > shot.revision)
        void catchUp(notice.revision, notice.by);
      if (notice.topic === "gap") void catchUp();
      if (notice.topic === "motion" && notice.shot === shot?.id)
        watchSolving(notice.carrier, notice.places, notice);
      if (notice.topic === "job" && notice.state === "done") void lookAgain();
      if (notice.topic === "job" && notice.state === "failed" && Object.keys(bench().solving).length)
        solvingEnded();
    }, []),
  );

  const carriers = useBench(doubtful);
  useEffect(() => void loadDoubts(), [carriers]);

  const picture = useRef<HTMLElement>(null);
  useEffect(() => (loaded && picture.current ? keepMessagesAbove(picture.current) : undefined), [loaded]);

  if (query.error)
    return (
      <main className="mx-auto max-w-lg p-10">
        <p className="mb-4">{query.error.message}</p>
        <Button onClick={() => void query.refetch()}>Try again</Button> <a href="/">Go to the shots</a>
      </main>
    );
  if (!loaded) return <main className="p-10 text-ink-soft">Opening the shot …</main>;
  return (
    <div className="grid h-full min-h-0 grid-rows-[44px_minmax(0,1fr)_auto]">
      <TopBar />
      <div className="grid min-h-0" style={{ gridTemplateColumns: `52px minmax(0,1fr) ${sides ?? 296}px` }}>
        <ToolRail />
        <section ref={picture} className="flex min-h-0 min-w-0 flex-col" aria-label="Viewer">
          <Viewer shot={id} />
          <LookBar />
        </section>
        <aside ref={aside} className="relative flex min-h-0 flex-col border-l border-line">
          <Grip
            name="aside"
            label="Width of the panels"
            grows="left"
            least={272}
            most={560}
            measured={() => aside.current!.offsetWidth}
          />
          <DepthPanel />
          <CarrierList />
          <DetailsPanel />
        </aside>
      </div>
      <FrameStrip />
      <Reviewing />
      <Finder />
    </div>
  );
}

/** Judges the shot while the hand rests, and the frame that is looked at. */
function Reviewing() {
  const shot = useBench((b) => b.shot?.id);
  const revision = useBench((b) => b.shot?.revision);
  const frame = useFrame();
  const on = useWorksAhead();
  useEffect(() => keepReviewing(), [shot, revision, on]);
  useEffect(() => {
    if (shot) markLooked(shot, frame);
  }, [shot, frame]);
  const active = useBench((b) => b.active);
  useEffect(() => markFrame(), [shot, revision, frame, active]);
  return null;
}

const LOOK_BAR = 44;

/** Messages lie over the foot of the picture, never over the strip or what is beside it. */
function keepMessagesAbove(viewer: HTMLElement): () => void {
  const root = document.documentElement;
  const watch = new ResizeObserver(() => {
    const below = window.innerHeight - viewer.getBoundingClientRect().bottom;
    root.style.setProperty("--below-picture", `${Math.round(below) + LOOK_BAR}px`);
  });
  watch.observe(viewer);
  return () => {
    watch.disconnect();
    root.style.removeProperty("--below-picture");
  };
}
