import { type Cover, type Nearness, type Subject } from "../api/client";
import { inDepth } from "./lookups";
import { Has } from "./types";

export const subjectsOf = (b: Has<"shot">) => inDepth(b).filter((t): t is Subject => t.kind === "subject");

/** What a cover is for a subject, in words; an empty text for one that is a cover by itself. */
export function servesAs(b: Has<"shot">, cover: string): string {
  for (const subject of subjectsOf(b)) {
    if (subject.core.includes(cover)) return `core of ${subject.name}`;
    if (subject.garbage.includes(cover)) return `garbage of ${subject.name}`;
  }
  return "";
}

/** How a subject is keyed, in a few words. */
export function keyedBy(subject: Subject): string {
  const { source = "colour", samples = [] } = subject.key;
  if (source !== "colour") return `subject, by ${source}`;
  if (samples.length === 0) return "subject, not keyed yet";
  return `subject, ${samples.length} ${samples.length === 1 ? "sample" : "samples"}`;
}

/** Covers that could become core or garbage of a subject. */
export function freeCovers(b: Has<"shot">): Cover[] {
  return inDepth(b).filter((t): t is Cover => t.kind === "cover" && servesAs(b, t.id) === "");
}

/** What was found, where it belongs to the subject as it is now. */
export function nearOf(b: Has<"near">, subject: Subject): Nearness[] | null {
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
