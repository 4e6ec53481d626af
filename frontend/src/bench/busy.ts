/** What is being computed just now, for the readout. */
import { create } from "zustand";

export const useBusy = create<{ running: Record<string, number> }>(() => ({ running: {} }));

/** Says that something began; call the result when it ended. */
export function busy(what: string): () => void {
  const bump = (by: number) =>
    useBusy.setState(({ running }) => {
      const next = { ...running, [what]: (running[what] ?? 0) + by };
      if (!next[what]) delete next[what];
      return { running: next };
    });
  bump(1);
  let over = false;
  return () => {
    if (!over) bump(-1);
    over = true;
  };
}
