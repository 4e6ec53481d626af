/** Day or dusk, kept in this browser. */
import { create } from "zustand";

export type Theme = "dusk" | "day";

const kept = localStorage.getItem("theme");

export const useTheme = create<{ theme: Theme; swap: () => void }>((set, get) => ({
  theme: kept === "day" ? "day" : "dusk",
  swap: () => {
    const theme = get().theme === "day" ? "dusk" : "day";
    localStorage.setItem("theme", theme);
    document.documentElement.dataset.theme = theme;
    set({ theme });
  },
}));

document.documentElement.dataset.theme = useTheme.getState().theme;
