/** What is being computed just now, for the readout. */
import { create } from "zustand";
import { isLayer } from "../views/names";

export const useBusy = create<{ running: Record<string, number> }>(() => ({ running: {} }));

/** How far a long decision is, 0..1, and what is being done; null when nothing of that kind is under way. */
export const useWorking = create<{ now: { share: number; what: string } | null }>(() => ({ now: null }));

let quiet = 0;

/** Takes in what the service says about it. Nothing heard for a while means that it ended. */
export function heardOf(share: number, what: string) {
  clearTimeout(quiet);
  useWorking.setState({ now: { share, what } });
  quiet = window.setTimeout(() => useWorking.setState({ now: null }), 1500);
}

/**
 * Runs work once the pictures that are looked at are there and nothing changed for a moment; call the result to call it off.
 * behind: what else goes before it: one after the other, each is there sooner than all at once.
 */
export function whenRested(work: () => void, rest: number, behind: string[] = []): () => void {
  let timer = 0;
  // What goes before it may only be about to begin.
  let calm = -behind.length;
  const look = () => {
    const busyWith = Object.keys(useBusy.getState().running);
    calm = busyWith.some((what) => isLayer(what) || what === "saving" || behind.includes(what))
      ? -behind.length
      : calm + 1;
    if (calm > 0) work();
    else timer = window.setTimeout(look, 15);
  };
  timer = window.setTimeout(look, rest);
  return () => clearTimeout(timer);
}

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
