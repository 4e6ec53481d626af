/** Six places: the library at /, a material's bench at /m/ID (at a stage: /m/ID#stage), a batch at /batch/N, the audit at /audit, pictures from words at /words, what takes room at /space. */
import { create } from "zustand";

interface Place {
  material: string | null;
  audit: boolean;
  words: boolean;
  space: boolean;
  batch: number | null;
}

const placeOf = (path: string): Place => ({
  material: /^\/m\/([\w-]+)$/.exec(path)?.[1] ?? null,
  audit: path === "/audit",
  words: path === "/words",
  space: path === "/space",
  batch: Number(/^\/batch\/(\d+)$/.exec(path)?.[1]) || null,
});

export const usePlace = create<Place>(() => placeOf(location.pathname));

export const go = (material: string | null) => goTo(material ? `/m/${material}` : "/");

export function goTo(path: string) {
  if (path !== location.pathname + location.hash) history.pushState(null, "", path);
  usePlace.setState(placeOf(path.replace(/#.*/, "")));
}

addEventListener("popstate", () => usePlace.setState(placeOf(location.pathname)));
