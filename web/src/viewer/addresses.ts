import { carrierOf, carriersOf } from "../state/carriers";
import { counted, inDepth, paneOf } from "../state/lookups";
import type { Look } from "../state/slices/looks";
import type { Bench } from "../state/types";

export type Size = "full" | "proxy";

/** Looks that the server renders; the others are pictures of the clip, or of what was made of it. */
export const isRendered = (look: Look) => look === "matte" || look === "cutout" || look === "composite";

/** Address of a look's picture; a look without anything to show is the plate. */
export function addressOf(b: Bench, look: Look, frame: number, size: Size): string {
  const { shot } = b;
  const number = frame - shot!.plate.first;
  const special = specialLook(b, look, frame, size, number);
  if (special) return special;
  if (!isRendered(look)) return `/api/clips/${shot!.plate.media}/${size}/${number}.jpg`;
  return `/api/shots/${shot!.id}/looks/${look}/${frame}?size=${size}&${mannerQuery(b, look)}${trialQuery(b, frame)}v=${b.versions[number]}`;
}

/** Address of what the look is compared with: another look, or a version in the same look. */
export function comparedAddress(b: Bench, frame: number, size: Size): string | null {
  if (!b.divider) return null;
  const { beyond, version } = b.divider;
  if (version === null) return addressOf(b, beyond, frame, size);
  const look = isRendered(b.look) || b.look === "plate" ? b.look : "composite";
  return `/api/shots/${b.shot!.id}/versions/${version}/looks/${look}/${frame}?size=${size}`;
}

/**
 * Address of what two looks, or a look and a version, differ by, told apart by the server before anything is rounded; null where
 * it knows one of them not.
 */
export function differenceAddress(b: Bench, frame: number, size: Size): string | null {
  if (b.divider?.way !== "difference" || b.before) return null;
  const { beyond, version, gain } = b.divider;
  const [look, other] =
    version !== null ? [b.look, b.look] : isRendered(b.look) ? [b.look, beyond] : [beyond, b.look];
  if (!isRendered(look) || (other !== "plate" && !isRendered(other))) return null;
  const beside = `&beside=${other}&gain=${gain}${version === null ? "" : `&version=${version}`}`;
  return addressOf(b, look, frame, size) + beside;
}

/** Address of what the chosen (or first) carrier looks at, or of the chosen (or first) pane unrolled. */
function specialLook(b: Bench, look: Look, frame: number, size: Size, number: number): string | null {
  if (look !== "eye" && look !== "flat") return null;
  const since = (id: string) => `${b.versions[number]}.${b.touched[id] ?? b.adopted}`;
  const shot = `/api/shots/${b.shot!.id}`;
  if (look === "eye") {
    const carrier = carrierOf(b, b.selected) ?? carriersOf(b)[0];
    return carrier
      ? `${shot}/carriers/${carrier.id}/eye/${frame}.jpg?size=${size}&v=${since(carrier.id)}`
      : null;
  }
  const pane = paneOf(b, b.selected) ?? inDepth(b).find((t) => t.kind === "pane");
  return pane ? `${shot}/panes/${pane.id}/flat/${frame}.jpg?size=${size}&v=${since(pane.id)}` : null;
}

/** How a look is shown, as the server wants it; what is as usual is left out. */
export interface MannerOf {
  only?: string;
  style?: string;
  ground?: string;
  plate?: string;
  insert?: string;
}

export function mannerOf(b: Bench, look: Look): MannerOf {
  const asked = look === "composite" && b.solo.size === 0 ? null : counted(b);
  // A pane has no matte of its own: alone it leaves all others where they are.
  const only = look === "composite" ? asked : asked?.filter((id) => !paneOf(b, id));
  const bare = (colour: string) => colour.replace("#", "");
  const { plate, insert } = b.standIns;
  return {
    ...(only?.length ? { only: only.join(",") } : {}),
    ...(look === "matte" && b.style !== "plain" ? { style: b.style } : {}),
    ...(look === "cutout" && b.ground !== "checks" ? { ground: bare(b.ground) } : {}),
    ...(look === "composite" && plate ? { plate: bare(plate) } : {}),
    ...(look === "composite" && insert ? { insert: bare(insert) } : {}),
  };
}

export function mannerQuery(b: Bench, look: Look): string {
  return Object.entries(mannerOf(b, look))
    .map(([name, value]) => `${name}=${value}&`)
    .join("");
}

/** A change that is only tried, for the frame that is looked at. */
function trialQuery(b: Bench, frame: number): string {
  return b.trial && frame === b.frame ? `trial=${encodeURIComponent(b.trial)}&` : "";
}
