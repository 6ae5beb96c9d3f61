import { api, data, tell, type Cover, type Edit, type Nearness, type Subject } from "../api/client";
import { bench, inDepth, setBench, type Bench } from "./bench";
import { send } from "../commands/send";

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

export const subjectsOf = (b: Bench) => inDepth(b).filter((t): t is Subject => t.kind === "subject");

/** What a cover is for a subject, in words; an empty text for one that is a cover by itself. */
export function servesAs(b: Bench, cover: string): string {
  for (const subject of subjectsOf(b)) {
    if (subject.core?.includes(cover)) return `core of ${subject.name}`;
    if (subject.garbage?.includes(cover)) return `garbage of ${subject.name}`;
  }
  return "";
}

/** How a subject is keyed, in a few words. */
export function keyedBy(subject: Subject): string {
  const { source = "colour", samples = [] } = subject.key ?? {};
  if (source !== "colour") return `subject, by ${source}`;
  if (samples.length === 0) return "subject, not keyed yet";
  return `subject, ${samples.length} ${samples.length === 1 ? "sample" : "samples"}`;
}

const edit = (subject: Subject, change: SubjectChange) =>
  ({ type: "set-subject", subject: subject.id, ...change }) as Edit;

/** Keep a change. What was tried stays in the picture until the answer is there. */
export function setSubject(subject: Subject, change: SubjectChange) {
  return send(edit(subject, change)).finally(() => setBench({ trial: null }));
}

/** Show a change without keeping it; null shows what is kept. */
export function trySubject(subject: Subject, change: SubjectChange | null) {
  setBench({ trial: change && JSON.stringify(edit(subject, change)) });
}

/** Covers that could become core or garbage of a subject. */
export function freeCovers(b: Bench): Cover[] {
  return inDepth(b).filter((t): t is Cover => t.kind === "cover" && servesAs(b, t.id) === "");
}

/** Look through all frames for garbage that comes close to a subject or cuts into it. */
export async function lookForNear(subject: Subject) {
  const { shot } = bench();
  try {
    const { found } = await data<{ found: Nearness[] }>(
      api.GET("/api/shots/{shot_id}/subjects/{subject}/nearness", {
        params: { path: { shot_id: shot!.id, subject: subject.id } },
      }),
    );
    setBench({ near: { of: subject, revision: shot!.revision, found } });
  } catch (error) {
    tell(error);
  }
}

/** What was found, where it belongs to the subject as it is now. */
export function nearOf(b: Bench, subject: Subject): Nearness[] | null {
  return b.near && b.near.of.id === subject.id ? b.near.found : null;
}

/** The picture's colour as the page writes it, of linear light. */
export function shown(colour: readonly number[]): string {
  const code = (v: number) => {
    const e = v <= 0.0031308 ? v * 12.92 : 1.055 * v ** (1 / 2.4) - 0.055;
    return Math.round(Math.min(Math.max(e, 0), 1) * 255)
      .toString(16)
      .padStart(2, "0");
  };
  return `#${colour.map(code).join("")}`;
}
