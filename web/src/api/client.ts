import createClient, { type Middleware } from "openapi-fetch";
import { toast } from "sonner";

import type { components, paths } from "./schema";

type Schemas = components["schemas"];
export type ShotState = Schemas["ShotState"];
export type ShotChange = Schemas["ShotChange"];
export type ShotCard = Schemas["ShotCard"];
export type Element = ShotState["elements"][string];
export type Settings = Extract<Element, { kind?: "settings" }>;
export type Cover = Schemas["Cover-Output"];
export type Group = Schemas["Group"];
export type Outline = Schemas["OutlineView"];
export type Proposed = Schemas["Proposal"];
export type Thinning = Schemas["Thinning"];
export type Copied = Schemas["Copied-Output"];
export type Pane = Schemas["Pane"];
export type Subject = Schemas["Subject"];
/** What has a place in the order of depth. */
export type Thing = Cover | Pane | Subject;
export type Sampled = Schemas["Sampled"];
export type Nearness = Schemas["Nearness"];
export type Doubt = Schemas["Doubt"];
export type Run = Schemas["Run"];
export type ShotReport = Schemas["ShotReport"];
export type ShotReview = Schemas["ReviewState"];
export type GuidePage = Schemas["GuidePage"];
export type GuideText = Schemas["GuideText"];
export type Lack = Schemas["Lack"];
export type FrameReview = Schemas["FrameReview"];
export type OutlineReviewed = Schemas["OutlineDetail"];
export type Doubts = Schemas["Doubts"];
export type PlaceValues = Schemas["Values"];
export type Carrier = Schemas["Carrier"];
export type SolvedFrame = Schemas["SolvedFrame-Output"];
export type CarrierChecks = Schemas["Checks"];
export type SlipOf = Schemas["SlipOf"];
export type PaneAspect = Schemas["Aspect"];
export type Plate = Schemas["Plate"];
export type Geometry = Schemas["Geometry"];
export type Edit = Schemas["EditRequest"]["edit"];
/** An edit of one kind. */
export type EditOf<Kind extends Edit["type"]> = Extract<Edit, { type: Kind }>;
/** What an edit of one kind changes besides what it is about. */
export type ChangeOf<Kind extends Edit["type"], About extends keyof EditOf<Kind>> = Omit<
  EditOf<Kind>,
  "type" | About
>;
export type Point = EditOf<"add-cover">["outline"]["points"][number];
export type Corners = EditOf<"add-pane">["corners"];
export type Job = Schemas["Job"];
export type Intake = Schemas["Intake"];
export type Understood = Schemas["Understood"];
export type Correction = Schemas["Correction"];
export type Order = Schemas["Order"];
export type Preset = Schemas["Preset"];
export type Presets = Schemas["Presets"];
export type DeliveryItem = Schemas["Item-Output"];
export type Preview = Schemas["Preview"];
export type SessionState = Schemas["SessionState"];
export type HolesState = Schemas["HolesState"];
export type Starters = Schemas["Starters"];
export type Differs = Schemas["Differs"];
export type TrueProportions = Schemas["TrueProportions"];
export type Version = Schemas["Version"];
export type Note = Schemas["Note"];
export type TimeSpent = Schemas["Time"];
export type Health = Schemas["Health"];
export type ClipCard = Schemas["ClipCard"];
export type PointKind = "corner" | "smooth" | "free";
export type Ease = "smooth" | "linear" | "hold" | "curve";

/** An answer of the server that is not what was asked for; its message is meant for people. */
export class Problem extends Error {
  constructor(
    message: string,
    readonly status: number,
    readonly body: Schemas["Problem"] | null = null,
  ) {
    super(message);
  }
}

const NOT_REACHED =
  "The server cannot be reached. What was saved is safe; check that it still runs, then try again.";

const TOO_LARGE = "That is too large for one change. Nothing was changed; do it in smaller steps.";

/** Turns an answer that is not 2xx into a Problem. */
export async function problemOf(response: Response): Promise<Problem> {
  try {
    const body = (await response.json()) as Schemas["Problem"];
    return new Problem(body.detail, response.status, body);
  } catch {
    if (response.status === 413) return new Problem(TOO_LARGE, 413);
    return new Problem(
      response.status >= 500 ? NOT_REACHED : `The server answered ${response.status}.`,
      response.status,
    );
  }
}

const whenSignedOut = new Set<() => void>();

/** Have something called whenever the server says that nobody is signed in; returns how to stop that. */
export function onSignedOut(call: () => void): () => void {
  whenSignedOut.add(call);
  return () => void whenSignedOut.delete(call);
}

const refuse: Middleware = {
  async onResponse({ request, response }) {
    if (response.status === 401 && !request.url.endsWith("/api/session"))
      whenSignedOut.forEach((call) => call());
    if (!response.ok) throw await problemOf(response);
    return response;
  },
  onError({ error }) {
    return error instanceof Problem ? error : new Problem(NOT_REACHED, 0);
  },
};

export const api = createClient<paths>({ baseUrl: "" });
api.use(refuse);

/** The data of an answer that the middleware has let through (openapi-fetch widens tuples, hence the type's name). */
export async function data<T>(answer: Promise<{ data?: unknown }>): Promise<T> {
  return (await answer).data as T;
}

/** All of a list that comes in pages: the answer's Link header says where the next one begins. */
export async function listed<T>(
  ask: (query: { after: number }) => Promise<{ data?: T[]; response: Response }>,
): Promise<T[]> {
  const found: T[] = [];
  for (;;) {
    const { data: page, response } = await ask({ after: found.length });
    found.push(...(page ?? []));
    if (!page?.length || !response.headers.get("Link")?.includes('rel="next"')) return found;
  }
}

/** Say to the artist what went wrong, with a way to where the guide explains it. */
export function say(error: unknown) {
  const guide = error instanceof Problem ? error.body?.guide : null;
  toast(error instanceof Error ? error.message : String(error), {
    action: guide
      ? { label: "Read about it", onClick: () => void window.open(`/guide/${guide}`, "_blank", "noopener") }
      : undefined,
  });
}
