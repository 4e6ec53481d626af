/** Two places: the library at /, a material's bench at /m/ID. */
import { create } from "zustand";

interface Place {
  material: string | null;
}

const placeOf = (path: string): Place => ({ material: /^\/m\/([\w-]+)$/.exec(path)?.[1] ?? null });

export const usePlace = create<Place>(() => placeOf(location.pathname));

export function go(material: string | null) {
  const path = material ? `/m/${material}` : "/";
  if (path !== location.pathname) history.pushState(null, "", path);
  usePlace.setState(placeOf(path));
}

addEventListener("popstate", () => usePlace.setState(placeOf(location.pathname)));
