import { toast } from "sonner";

import {
  api,
  data,
  Problem,
  say,
  type FrameReview,
  type OutlineReviewed,
  type ShotReview,
} from "../api/client";
import { bench, goTo, select, setBench } from "../state/bench";
import { setWorksAhead, worksAhead } from "../state/ahead";
import { outlineOf, shapeOf } from "../state/lookups";
import { marksHere } from "../state/slices/review";
import { proposeCarryTo, proposeRighted, proposeSnap } from "./proposals";
import { send } from "./send";

/** Seconds that the server judges before it answers, and milliseconds between two such answers. */
const SECONDS = 0.25;
const PAUSE = 120;
/** Milliseconds after an edit, or a change of frame, before anything is asked for. */
const SETTLED = 250;
/** Milliseconds until what got no answer is asked for again. */
const LATER = 5000;
/** Milliseconds after an edit before what it did to the outline's movement is asked for. */
const EDITED = 400;

const busy = () => {
  const { drag, playing, pointDrag } = bench();
  return Boolean(drag || playing || pointDrag);
};

/** The outline that was changed last. */
function newest(): string {
  const { touched, shot } = bench();
  let found = "";
  for (const [id, revision] of Object.entries(touched))
    if (shot?.elements[id]?.kind === "outline" && revision > (touched[found] ?? -1)) found = id;
  return found;
}

/**
 * Do something after a while, and again for as long as it says after how many milliseconds, but never while the hand is at
 * work; a function that ends it.
 */
function keepOn(step: (over: () => boolean) => Promise<number | null>, after = SETTLED): () => void {
  let over = false;
  let timer = 0;
  const again = (wait: number) => {
    timer = window.setTimeout(async () => {
      const next = busy() ? SETTLED : await step(() => over);
      if (next !== null && !over) again(next);
    }, wait);
  };
  again(after);
  return () => {
    over = true;
    window.clearTimeout(timer);
  };
}

/** Judge the shot as it is now, a little at a time and only while the hand rests and the page is seen; a function that ends it. */
export const keepReviewing = () =>
  keepOn(async (over) => {
    const { shot, frame } = bench();
    if (!shot) return null;
    if (document.hidden) return SETTLED;
    try {
      const found = await data<ShotReview>(
        api.GET("/api/shots/{shot_id}/review", {
          params: {
            path: { shot_id: shot.id },
            query: { near: frame, newest: newest(), seconds: worksAhead() ? SECONDS : 0 },
          },
        }),
      );
      if (over() || bench().shot?.id !== shot.id) return null;
      if (found.revision >= (bench().review?.revision ?? 0)) setBench({ review: found });
      return found.left > 0 && worksAhead() ? PAUSE : null;
    } catch {
      return LATER; // nothing is lost by it: the next answer has it all
    }
  });

/** Work ahead while the hand rests, or no longer: it takes from a slow server what others need. */
export function switchAhead() {
  setWorksAhead(!worksAhead());
  toast(
    worksAhead()
      ? "While your hand rests, outlines are judged and pictures rendered ahead."
      : "Nothing is judged or rendered ahead any more in this browser. What is known stays; “Where to look” judges all outlines.",
  );
}

/** Ask where outlines seem to be off on the frame that is looked at, once it stands; a function that ends it. */
export const markFrame = () => keepOn(async (over) => ((await lookHere(over)) ? null : LATER));

/** Ask how an outline boils, and where it matters, once an edit of it has been looked at; a function that ends it. */
export const lookInto = (shot_id: string, outline: string) =>
  keepOn(async (over) => {
    try {
      const params = { path: { shot_id, outline } };
      const found = await data<OutlineReviewed>(
        api.GET("/api/shots/{shot_id}/review/outlines/{outline}", { params }),
      );
      if (!over()) setBench({ detail: { ...found, outline } });
      return null;
    } catch (error) {
      if (error instanceof Problem && error.status === 0) return LATER;
      if (!over()) setBench({ detail: null }); // a cover that is not shown has none
      return null;
    }
  }, EDITED);

/** Whether it was answered where outlines seem to be off here. */
async function lookHere(over = () => false): Promise<boolean> {
  const { shot, frame, active } = bench();
  if (!shot) return true;
  try {
    const found = await data<FrameReview>(
      api.GET("/api/shots/{shot_id}/review/frames/{frame}", {
        params: { path: { shot_id: shot.id, frame }, query: { outline: active ?? "" } },
      }),
    );
    if (!over() && bench().frame === frame && bench().shot?.revision === shot.revision)
      setBench({ marks: { ...found, revision: shot.revision } });
    return true;
  } catch {
    return false; // the marks are help; without them nothing else is missing
  }
}

/** Ask again for what is known, judging nothing: a job has found something. */
export async function lookAgain() {
  const { shot } = bench();
  if (!shot) return;
  try {
    const review = await data<ShotReview>(
      api.GET("/api/shots/{shot_id}/review", {
        params: { path: { shot_id: shot.id }, query: { near: bench().frame, seconds: 0 } },
      }),
    );
    if (bench().shot?.id === shot.id) setBench({ review });
    await lookHere();
  } catch (error) {
    say(error);
  }
}

/** Have all panes looked through for what is not held out, and for covers that are too wide. */
export async function lookForHoles(shot_id: string) {
  try {
    await data(api.POST("/api/shots/{shot_id}/review/holes", { params: { path: { shot_id } } }));
    toast("Looking through the panes; what is found is pinned, and told under “Where to look”.");
  } catch (error) {
    say(error);
  }
}

/** What was found to be there and not held out on this frame, as covers to begin with. */
export function proposeMissed() {
  const { frame } = bench();
  const missed = marksHere(bench())?.holes.filter((h) => h.what === "open");
  if (!missed?.length) return;
  const starters = missed.map((h, i) => ({
    name: i ? `Missed ${i + 1}` : "Missed",
    outline: { kinds: h.outline.map(() => "smooth" as const), points: h.outline },
    likely: true,
  }));
  const kept = new Set(starters.map((_, i) => i));
  setBench({ starting: { frame, starters, words: "", kept }, proposal: null, fitting: null });
}

/** The stretches of an outline that seem to be off on this frame, the worst first, as its shape is now. */
export function marksOf(outline: string) {
  return (marksHere(bench())?.marks ?? []).filter((m) => m.outline === outline);
}

/** Choose an outline's worst stretch on this frame; whether there is one. */
export function chooseWorst(outline: string): boolean {
  const worst = marksOf(outline)[0];
  const count = shapeOf(bench(), outline, bench().frame) ? outlineOf(bench(), outline)?.kinds.length : 0;
  if (!worst || !count) return false;
  setBench({ points: new Set(worst.segments.flatMap((s) => [s, (s + 1) % count])) });
  return true;
}

/** Put what of an outline is off on this frame where its edge seems to be, or what is only in doubt onto the edge nearby; shown first. */
export async function snapWorst(outline: string) {
  const carried = marksOf(outline)[0]?.carried;
  if (chooseWorst(outline)) await (carried ? proposeSnap() : proposeRighted());
}

/** Carry what is off on this frame of the outline (all of it, where nothing is) from its nearest other key; shown first. */
export async function carryHere(outline: string) {
  const { frame } = bench();
  const keys = (outlineOf(bench(), outline)?.keys ?? []).map((k) => k.frame).filter((f) => f !== frame);
  if (!keys.length) return;
  const from = keys.reduce((best, f) => (Math.abs(f - frame) < Math.abs(best - frame) ? f : best));
  const stretch = chooseWorst(outline) ? bench().points : null;
  await proposeCarryTo(from, frame, stretch);
}

/** Say that an outline looks right on this frame as it is. */
export const looksRight = (outline: string, right: boolean) =>
  void send({ type: "looks-right", outline, frame: bench().frame, right });

/** Choose what a doubt is about, and go to its frame. */
export function goToDoubt(frame: number, about: string, asked?: number) {
  setBench({ playing: false });
  const outline = outlineOf(bench(), about);
  if (outline) select(outline.cover, outline.id);
  goTo(frame, asked);
}
