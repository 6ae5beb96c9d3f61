import { send } from "./send";
import { api, data, Doubt, Edit, Nearness, say, Subject } from "../api/client";
import { bench, setBench } from "../state/bench";

export type SubjectChange = Partial<
  Pick<
    Subject,
    | "name"
    | "colour"
    | "opacity"
    | "start"
    | "key"
    | "clean_up"
    | "spill"
    | "core"
    | "garbage"
    | "near"
    | "pane"
    | "beyond"
  >
>;

const edit = (subject: Subject, change: SubjectChange): Edit => ({
  type: "set-subject",
  subject: subject.id,
  ...change,
});

/** Keep a change. What was tried stays in the picture until the answer is there. */
export function setSubject(subject: Subject, change: SubjectChange) {
  return send(edit(subject, change)).finally(() => setBench({ trial: null }));
}

/** Show a change without keeping it; null shows what is kept. */
export function trySubject(subject: Subject, change: SubjectChange | null) {
  setBench({ trial: change && JSON.stringify(edit(subject, change)) });
}

/** Look through all frames for garbage that comes close to a subject or cuts into it. */
export async function lookForNear(subject: Subject) {
  const { shot } = bench();
  try {
    const { found, doubts } = await data<{ found: Nearness[]; doubts: Doubt[] }>(
      api.GET("/api/shots/{shot_id}/subjects/{subject}/nearness", {
        params: { path: { shot_id: shot!.id, subject: subject.id } },
      }),
    );
    setBench({ near: { of: subject, revision: shot!.revision, found, doubts } });
  } catch (error) {
    say(error);
  }
}
