/** One tool at a time: whoever takes one lays the one before it down, wherever its state is kept. */
import type { StoreApi } from "zustand";

interface Tool {
  id: string;
  layDown: () => void;
}

let held: Tool | null = null;

/** Makes part of a store a tool: it is in hand while `on` says so, and laid down by taking `off` over. */
export function registerTool<State>(
  id: string,
  store: Pick<StoreApi<State>, "subscribe" | "setState">,
  on: (state: State) => boolean,
  off: Partial<State>,
) {
  const tool: Tool = { id, layDown: () => store.setState(off) };
  store.subscribe((now, before) => {
    if (on(now) && !on(before)) {
      const last = held;
      held = tool;
      if (last && last !== tool) last.layDown();
    } else if (!on(now) && on(before) && held === tool) held = null;
  });
}

/** The tool in hand, if any. */
export const toolInHand = (): string | null => held?.id ?? null;

/** Lays down whatever is in hand; says whether there was something. */
export function layDownTool(): boolean {
  const last = held;
  last?.layDown();
  return last !== null;
}
