import { toast } from "sonner";

import { api, data, Problem, tell, type Edit, type ShotChange, type ShotState } from "../api/client";
import { absorb, adopt, bench, setBench } from "../state/bench";
import { loadGeometry } from "./geometry";

/** Changes go to the server one after the other, each on the revision that the one before left behind. */
let line: Promise<unknown> = Promise.resolve();
/** A change under way. `about` names its elements; null is for undo and redo, which are about what was done last. */
interface Change {
  post: (shot: string, revision: number) => Promise<ShotChange>;
  about: string[] | null;
}

/** The changes that have not been answered yet. */
const waiting = new Set<Change>();

function inLine(change: Change): Promise<ShotChange | null> {
  waiting.add(change);
  const done = line.then(async () => {
    const { shot } = bench();
    try {
      return shot && (await taken(change, shot.id, shot.revision));
    } catch (error) {
      if (error instanceof Problem && error.body.state) return await overtaken(error, change);
      setBench({ drag: null });
      tell(error);
      return null;
    } finally {
      waiting.delete(change);
    }
  });
  line = done;
  return done;
}

async function taken(change: Change, shot: string, revision: number): Promise<ShotChange> {
  const answer = await change.post(shot, revision);
  waiting.delete(change);
  absorb(
    answer,
    [...waiting].flatMap(({ about }) => about ?? []),
  );
  return answer;
}

/** Another page was quicker: the newer state is shown, and the change goes on top where it is about other things. */
async function overtaken(problem: Problem, change: Change): Promise<ShotChange | null> {
  const state = problem.body.state as ShotState;
  const touched = problem.body.touched as string[] | null;
  const { about } = change;
  catchUpWith(state);
  if (about && touched && !about.some((id) => touched.includes(id))) {
    try {
      return await taken(change, state.id, state.revision);
    } catch (error) {
      setBench({ drag: null });
      tell(error);
      return null;
    }
  }
  setBench({ drag: null });
  if (about) offerAgain(() => inLine(change));
  else
    toast(
      "Another page has changed this shot, which is what you see. Nothing was undone; look, then try again.",
    );
  return null;
}

/** Apply an edit; the page shows it when the server has answered. Null where it was refused. */
export function send(edit: Edit): Promise<ShotChange | null> {
  const named = ["element", "outline", "cover", "pane", "group", "into", "carrier", "subject"].flatMap(
    (field) => {
      const id = (edit as Record<string, unknown>)[field];
      return typeof id === "string" ? [id] : [];
    },
  );
  return inLine({
    post: (shot_id, revision) =>
      data<ShotChange>(
        api.POST("/api/shots/{shot_id}/edits", { params: { path: { shot_id } }, body: { revision, edit } }),
      ),
    about: named,
  });
}

/** Bring the page up to a newer state; what is being drawn or dragged stays in hand. */
function catchUpWith(state: ShotState, by = "Changed in another page") {
  const { drag } = bench();
  adopt(state, by);
  if (drag && drag.element in state.elements) setBench({ drag });
  void loadGeometry();
}

/** Another page has changed the very same thing: its state is shown, and this page's change can be put on top. */
function offerAgain(again: () => unknown) {
  toast(
    "This was changed in another page just now, which is what you see. Your own change was not applied.",
    {
      action: { label: "Apply mine on top", onClick: () => void again() },
      duration: 20_000,
    },
  );
}

function step(path: "/api/shots/{shot_id}/undo" | "/api/shots/{shot_id}/redo") {
  return inLine({
    post: (shot_id, revision) =>
      data<ShotChange>(api.POST(path, { params: { path: { shot_id } }, body: { revision } })),
    about: null,
  });
}

export const undo = () =>
  bench().shot?.undo || waiting.size > 0 ? step("/api/shots/{shot_id}/undo") : undefined;
export const redo = () =>
  bench().shot?.redo || waiting.size > 0 ? step("/api/shots/{shot_id}/redo") : undefined;

/** Load the shot anew, for a page that has been overtaken by another, or by a job (`by` says what it did). */
export async function catchUp(revision: number, by?: string) {
  await line;
  const { shot } = bench();
  if (!shot || shot.revision >= revision) return;
  const state = await data<ShotState>(
    api.GET("/api/shots/{shot_id}", { params: { path: { shot_id: shot.id } } }),
  );
  if (state.revision > (bench().shot?.revision ?? 0)) {
    catchUpWith(state, by);
    if (!by) toast("Another page has changed this shot; you see it as it is now.", { id: "overtaken" });
  }
}
