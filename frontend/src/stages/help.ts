/** The one sentence about the setting that is pointed at or focused. */
import { create } from "zustand";

export const useHelp = create<{ name: string; text: string; show: (name: string, text: string) => void }>((set) => ({
  name: "",
  text: "",
  show: (name, text) => set({ name, text }),
}));
