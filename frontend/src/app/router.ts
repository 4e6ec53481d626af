/** The places of the page, each with an address and a title: the library at /, a material's bench at /m/ID/STAGE, a batch
 * at /batch/N, the audit at /audit, pictures from words at /words, what takes room at /space, the guide at /guide/PAGE.
 * amber_thicket/web/app.py knows the same. */
import { useEffect } from "react";
import { create } from "zustand";
import type { StageId } from "../api/types";
import { STAGE_NAMES } from "../views/names";
import { say } from "../words/say";

export interface Place {
  page: "library" | "bench" | "audit" | "words" | "space" | "batch" | "guide" | "nowhere";
  material: string | null;
  stage: StageId | null;
  batch: number | null;
  /** A page of the guide. */
  reading: string | null;
}

const NONE = { material: null, stage: null, batch: null, reading: null };

export function placeOf(path: string): Place {
  const bench = /^\/m\/([\w-]{1,64})(?:\/([a-z]+))?\/?$/.exec(path);
  if (bench && (!bench[2] || bench[2] in STAGE_NAMES))
    return { ...NONE, page: "bench", material: bench[1]!, stage: (bench[2] as StageId) ?? null };
  const batch = /^\/batch\/(\d{1,9})\/?$/.exec(path);
  if (batch) return { ...NONE, page: "batch", batch: Number(batch[1]) };
  const guide = /^\/guide(?:\/([a-z_]+))?\/?$/.exec(path);
  if (guide) return { ...NONE, page: "guide", reading: guide[1] ?? "README" };
  const plain = { "/": "library", "/audit": "audit", "/words": "words", "/space": "space" } as const;
  return { ...NONE, page: plain[path as keyof typeof plain] ?? "nowhere" };
}

export const usePlace = create<Place>(() => placeOf(location.pathname));

export const go = (material: string | null) => goTo(material ? `/m/${material}` : "/");

/** Opens an address of the page; replaced: the one before is not come back to. */
export function goTo(address: string, replaced = false) {
  if (address !== location.pathname + location.search)
    history[replaced ? "replaceState" : "pushState"](null, "", address);
  usePlace.setState(placeOf(address.replace(/[?#].*/, "")));
}

addEventListener("popstate", () => usePlace.setState(placeOf(location.pathname)));

/** What the window is called while a screen is open. name: of what is open there, which stays as somebody gave it. */
export function useTitle(title: string, name = "") {
  useEffect(() => {
    const what = [name, say(title)].filter(Boolean).join(", ");
    document.title = what ? `${what} · Amber Thicket` : "Amber Thicket";
  }, [title, name]);
}
