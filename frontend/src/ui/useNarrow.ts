/** Whether the window is too narrow for two views and their settings side by side: small screens, and large letters. */
import { useSyncExternalStore } from "react";

const narrow = matchMedia("(max-width: 899px)");

const follow = (changed: () => void) => {
  narrow.addEventListener("change", changed);
  return () => narrow.removeEventListener("change", changed);
};

export const isNarrow = () => narrow.matches;
export const useNarrow = () => useSyncExternalStore(follow, isNarrow);
