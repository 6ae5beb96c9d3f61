import { toast } from "sonner";

import { api, data, Problem, say, type Edit, type ShotChange, type ShotState } from "../api/client";
import { absorb, adopt, bench, select, setBench } from "../state/bench";
import { loadGeometry } from "./geometry";

/** A change under way. `about` names its elements; null is for undo and redo, which are about what was done last. */
interface Change {
  post: (shot: string, revision: number, id: string) => Promise<ShotChange>;
  about: string[] | null;
  /** By which the server knows it again, should its answer be lost. */
  id: string;
}

/** Changes go to the server one after the other, each on the revision that the one before left behind. */
const queue = {
  last: Promise.resolve() as Promise<unknown>,
  /** The changes that have not been answered yet. */
  waiting: new Set<Change>(),
};
/** How often a change is sent whose answer does not come. */
const TRIES = 3;

function inLine(change: Change): Promise<ShotChange | null> {
  queue.waiting.add(change);
  const done = queue.last.then(async () => {
    const { shot } = bench();
    try {
      return shot && (await taken(change, shot.id, shot.revision));
    } catch (error) {
      setBench({ drag: null });
      if (error instanceof Problem && error.body?.state) overtaken(error, error.body.state, change);
      else say(error);
      return null;
    } finally {
      queue.waiting.delete(change);
    }
  });
  queue.last = done;
  return done;
}

async function taken(change: Change, shot: string, revision: number): Promise<ShotChange> {
  const answer = await answered(change, shot, revision);
  queue.waiting.delete(change);
  absorb(
    answer,
    [...queue.waiting].flatMap(({ about }) => about ?? []),
  );
  return answer;
}

/** What a change is answered; where no answer comes it is sent again under the same id, and made once. */
async function answered(change: Change, shot: string, revision: number): Promise<ShotChange> {
  for (let tried = 1; ; tried += 1) {
    try {
      return await change.post(shot, revision, change.id);
    } catch (error) {
      const lost = error instanceof Problem && error.status === 0;
      if (!lost || tried === TRIES) throw error;
      await new Promise((done) => setTimeout(done, 300 * tried));
    }
  }
}

/** Somebody changed the very same thing: the newer state is shown, and this page's change can be put on top. */
function overtaken(problem: Problem, state: ShotState, change: Change) {
  catchUpWith(state, "Changed in another page");
  if (!change.about) return void toast(problem.message);
  const again = { ...change, id: crypto.randomUUID() };
  toast(problem.message, {
    action: { label: "Apply mine on top", onClick: () => void inLine(again) },
    duration: 20_000,
  });
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
    post: (shot_id, revision, id) =>
      data<ShotChange>(
        api.POST("/api/shots/{shot_id}/edits", {
          params: { path: { shot_id } },
          body: { revision, id, edit },
        }),
      ),
    about: named,
    id: crypto.randomUUID(),
  });
}

/** Apply an edit that makes something, and choose that, unless something else has been chosen before it was there. */
export async function make(edit: Edit): Promise<ShotChange | null> {
  const { choices, shot } = bench();
  const change = await send(edit);
  if (!change?.made || bench().choices !== choices) return change;
  const outline = Object.values(change.elements).find(
    (e) => e?.kind === "outline" && e.cover === change.made && !(shot && e.id in shot.elements),
  );
  select(change.made, outline?.id);
  return change;
}

/** Bring the page up to a newer state; what is being drawn or dragged stays in hand. */
function catchUpWith(state: ShotState, by: string) {
  const { drag } = bench();
  adopt(state, by);
  if (drag && drag.element in state.elements) setBench({ drag });
  void loadGeometry();
}

function step(path: "/api/shots/{shot_id}/undo" | "/api/shots/{shot_id}/redo") {
  return inLine({
    post: (shot_id, revision, id) =>
      data<ShotChange>(api.POST(path, { params: { path: { shot_id } }, body: { revision, id } })),
    about: null,
    id: crypto.randomUUID(),
  });
}

export const undo = () =>
  bench().shot?.undo || queue.waiting.size > 0 ? step("/api/shots/{shot_id}/undo") : undefined;
export const redo = () =>
  bench().shot?.redo || queue.waiting.size > 0 ? step("/api/shots/{shot_id}/redo") : undefined;

/**
 * Take over what this page has missed: what another page or a job (`by` says what it did) has changed. Without a
 * revision it asks whether there is anything, as after a gap in the notices.
 */
export async function catchUp(revision = Infinity, by?: string) {
  await queue.last;
  const { shot } = bench();
  if (!shot || shot.revision >= revision) return;
  try {
    const params = { path: { shot_id: shot.id }, query: { since: shot.revision } };
    const change = await data<ShotChange>(api.GET("/api/shots/{shot_id}/changes", { params }));
    const now = bench().shot;
    if (now?.id !== shot.id || now.revision !== change.since || change.revision === change.since) return;
    const { drag } = bench();
    absorb(
      { ...change, label: by ?? `Changed in another page: ${change.label}` },
      drag ? [drag.element] : [],
    );
  } catch (error) {
    if (!(error instanceof Problem && error.body?.state)) return say(error);
    catchUpWith(error.body.state, by ?? "Changed in another page");
  }
  if (!by) toast("Another page has changed this shot; you see it as it is now.", { id: "overtaken" });
}
