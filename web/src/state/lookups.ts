import type {
  Cover,
  Group,
  Outline,
  Pane,
  PointKind,
  Settings,
  ShotState,
  Subject,
  Thing,
} from "../api/client";
import { ridden } from "./riding";
import { shapeAt, shapeFrom, type Shape } from "../shapes/shape";
import type { Has } from "./types";

export function coverOf(b: Has<"shot">, id: string | null): Cover | null {
  const found = id === null ? undefined : b.shot?.elements[id];
  return found?.kind === "cover" ? (found as Cover) : null;
}

export function groupOf(b: Has<"shot">, cover: Cover | null): Group | null {
  const found = cover?.group ? b.shot?.elements[cover.group] : undefined;
  return found?.kind === "group" ? (found as Group) : null;
}

/** Whether a thing, and the group that it is in, is shown, and no solo leaves it out. */
export function isShown(b: Has<"shot" | "solo">, thing: Thing): boolean {
  if (thing.shown === false) return false;
  if (thing.kind === "pane") return !panesAlone(b) || b.solo.has(thing.id);
  if (thing.kind !== "cover") return b.solo.size === 0 || b.solo.has(thing.id);
  return groupOf(b, thing as Cover)?.shown !== false && (b.solo.size === 0 || b.solo.has(thing.id));
}

/** Whether a pane has solo, so that the others are left out; with covers alone all panes stay. */
function panesAlone(b: Has<"shot" | "solo">): boolean {
  return [...b.solo].some((id) => b.shot?.elements[id]?.kind === "pane");
}

/** What keeps a thing from being changed: itself or its group, by name; null where nothing does. */
export function lockOf(b: Has<"shot">, thing: Thing | null): string | null {
  if (thing?.locked) return thing.name;
  const group = thing?.kind === "cover" ? groupOf(b, thing as Cover) : null;
  return group?.locked ? group.name : null;
}

/** All chosen covers, the selected one first; a chosen group stands for its covers. */
export function chosenCovers(b: Has<"shot" | "selected" | "also">): string[] {
  const first = b.selected && b.shot?.elements[b.selected]?.kind === "cover" ? [b.selected] : [];
  return [...first, ...[...b.also].filter((id) => id !== b.selected)];
}

/** What is chosen of what looks can count: covers and subjects. */
function chosenThings(b: Has<"shot" | "selected" | "also">): string[] {
  const covers = chosenCovers(b);
  return b.selected && b.shot?.elements[b.selected]?.kind === "subject" ? [b.selected, ...covers] : covers;
}

/** The covers and subjects that looks count, or null for all that are shown. */
export function counted(b: Has<"shot" | "selected" | "also" | "scope" | "solo">): string[] | null {
  const wanted =
    b.scope === "all" ? null : b.scope === "cover" ? chosenThings(b).slice(0, 1) : chosenThings(b);
  if (b.solo.size === 0) return wanted && wanted.length ? wanted : null;
  return wanted && wanted.length ? wanted.filter((id) => b.solo.has(id)) : [...b.solo];
}

export function outlineOf(b: Has<"shot">, id: string | null): Outline | null {
  const found = id === null ? undefined : b.shot?.elements[id];
  return found?.kind === "outline" ? (found as Outline) : null;
}

export function paneOf(b: Has<"shot">, id: string | null): Pane | null {
  const found = id === null ? undefined : b.shot?.elements[id];
  return found?.kind === "pane" ? (found as Pane) : null;
}

export function subjectOf(b: Has<"shot">, id: string | null): Subject | null {
  const found = id === null ? undefined : b.shot?.elements[id];
  return found?.kind === "subject" ? (found as Subject) : null;
}

/** Whether something lies in the picture by four corners: a pane, or a subject from a clip of its own. */
export const isPlaced = (element: { kind?: string; clip?: string | null }) =>
  element.kind === "pane" || (element.kind === "subject" && Boolean(element.clip));

/** A pane, or a subject from a clip of its own. */
export function placedOf(b: Has<"shot">, id: string | null): Pane | Subject | null {
  const found = id === null ? undefined : b.shot?.elements[id];
  return found && isPlaced(found as Pane) ? (found as Pane | Subject) : null;
}

/** What of a thing has a shape on the picture: its outlines, or itself. */
export function partsOf(thing: Thing): string[] {
  if (thing.kind === "cover") return (thing as Cover).outlines;
  return isPlaced(thing as Pane) ? [thing.id] : [];
}

type Elements = ShotState["elements"];

/** What belongs to the shot as a whole. */
export function settingsOf(elements: Elements | undefined): Settings | null {
  const found = elements?.settings;
  return found?.kind === "settings" ? found : null;
}

const depths = new WeakMap<Elements, readonly Thing[]>();

/** Covers, panes and subjects from near to far; the same list as long as the shot's elements are the same. */
export function inDepth(b: Has<"shot">): readonly Thing[] {
  const elements = b.shot?.elements;
  const settings = settingsOf(elements);
  if (!elements || !settings) return [];
  let things = depths.get(elements);
  if (!things) {
    things = settings.depth.flatMap((id) => {
      const element = elements[id];
      const counts = element?.kind === "cover" || element?.kind === "pane" || element?.kind === "subject";
      return counts ? [element as Thing] : [];
    });
    depths.set(elements, things);
  }
  return things;
}

/** Whether a cover or an outline is there on a frame. */
export function present(thing: Cover | Outline, frame: number): boolean {
  return (thing.first == null || frame >= thing.first) && (thing.last == null || frame <= thing.last);
}

/** The shape of an outline, a pane or a carrier's base on a frame, as dragged, as just solved, or as evaluated. */
export function shapeOf(
  b: Has<"shot" | "drag" | "solving" | "tracks">,
  id: string,
  frame: number,
): Shape | null {
  if (b.drag && b.drag.element === id && b.drag.frame === frame) return b.drag.shape;
  const live = b.solving[id]?.[frame]?.corners;
  if (live) return shapeFrom(live.map(([x, y]) => [x, y, 0, 0, 0, 0]));
  const track = b.tracks[id];
  return track ? ridden(b, id, frame, shapeAt(track, frame)) : null;
}

/** The shape of an outline, a pane or a carrier's base on a frame, whatever the hand is doing with it. */
export function restingShape(b: Has<"shot" | "solving" | "tracks">, id: string, frame: number): Shape | null {
  return shapeOf({ shot: b.shot, solving: b.solving, tracks: b.tracks, drag: null }, id, frame);
}

/** The shapes of the keys before and after a frame. */
export function neighbourKeys(b: Has<"shot" | "tracks">, id: string, frame: number): Shape[] {
  const frames = keyFrames(b, id);
  const before = frames.filter((f) => f < frame).at(-1);
  const after = frames.find((f) => f > frame);
  const track = b.tracks[id];
  return [before, after].flatMap((f) => {
    const shape = f === undefined || !track ? null : shapeAt(track, f);
    return shape ? [shape] : [];
  });
}

/** Key frames of an outline or pane. */
export function keyFrames(b: Has<"shot">, id: string | null): number[] {
  const element = id === null ? undefined : b.shot?.elements[id];
  const animated = element?.kind === "outline" || (element && isPlaced(element as Pane));
  return animated ? (element as Outline | Pane).keys.map((k) => k.frame) : [];
}

/** The kind of a point; pane corners are corners. */
export function kindOf(b: Has<"shot">, element: string, index: number): PointKind {
  return outlineOf(b, element)?.kinds[index] ?? "corner";
}
