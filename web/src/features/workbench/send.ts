import { api, data, Problem, tell, type Edit, type ShotChange, type ShotState } from "../../api/client";
import { absorb, adopt, bench, setBench } from "./bench";

/** Changes go to the server one after the other, each on the revision that the one before left behind. */
let line: Promise<unknown> = Promise.resolve();
let waiting = 0;

function inLine(post: (shot: string, revision: number) => Promise<ShotChange>): Promise<ShotChange | null> {
  waiting += 1;
  const done = line.then(async () => {
    const { shot } = bench();
    if (!shot) return null;
    try {
      const change = await post(shot.id, shot.revision);
      absorb(change);
      return change;
    } catch (error) {
      setBench({ drag: null });
      if (error instanceof Problem && error.body.state)
        adopt(error.body.state as ShotState, "Changed in another page");
      tell(error);
      return null;
    } finally {
      waiting -= 1;
    }
  });
  line = done;
  return done;
}

/** Apply an edit; the page shows it when the server has answered. Null where it was refused. */
export function send(edit: Edit): Promise<ShotChange | null> {
  return inLine((shot_id, revision) =>
    data<ShotChange>(
      api.POST("/api/shots/{shot_id}/edits", { params: { path: { shot_id } }, body: { revision, edit } }),
    ),
  );
}

function step(path: "/api/shots/{shot_id}/undo" | "/api/shots/{shot_id}/redo") {
  return inLine((shot_id, revision) =>
    data<ShotChange>(api.POST(path, { params: { path: { shot_id } }, body: { revision } })),
  );
}

export const undo = () => (bench().shot?.undo || waiting > 0 ? step("/api/shots/{shot_id}/undo") : undefined);
export const redo = () => (bench().shot?.redo || waiting > 0 ? step("/api/shots/{shot_id}/redo") : undefined);

/** Load the shot anew, for a page that has been overtaken by another; waits for what is being sent. */
export async function catchUp(revision: number) {
  await line;
  const { shot } = bench();
  if (!shot || shot.revision >= revision) return;
  const state = await data<ShotState>(
    api.GET("/api/shots/{shot_id}", { params: { path: { shot_id: shot.id } } }),
  );
  if (state.revision > (bench().shot?.revision ?? 0)) adopt(state, "Changed in another page");
}
