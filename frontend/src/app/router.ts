/** Five places: the library at /, a material's bench at /m/ID, the audit at /audit, pictures from words at /words, what takes room at /space. */
import { create } from "zustand";

interface Place {
  material: string | null;
  audit: boolean;
  words: boolean;
  space: boolean;
}

const placeOf = (path: string): Place => ({
  material: /^\/m\/([\w-]+)$/.exec(path)?.[1] ?? null,
  audit: path === "/audit",
  words: path === "/words",
  space: path === "/space",
});

export const usePlace = create<Place>(() => placeOf(location.pathname));

export const go = (material: string | null) => goTo(material ? `/m/${material}` : "/");

export function goTo(path: string) {
  if (path !== location.pathname) history.pushState(null, "", path);
  usePlace.setState(placeOf(path));
}

addEventListener("popstate", () => usePlace.setState(placeOf(location.pathname)));
