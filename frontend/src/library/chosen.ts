/** The chosen materials: one by one, a range, or all that are looked for. */
import { create } from "zustand";

/** ids: null while nothing is being chosen. from: number of the card a range begins at. */
export const useChosen = create<{ ids: string[] | null; from: number | null; job: string | null }>(() => ({
  ids: null,
  from: null,
  job: null,
}));

export function toggle(id: string, number: number) {
  const ids = useChosen.getState().ids ?? [];
  useChosen.setState({ ids: ids.includes(id) ? ids.filter((one) => one !== id) : [...ids, id], from: number });
}

export function chooseOnly(ids: readonly string[]) {
  useChosen.setState({ ids: [...new Set(ids)] });
}

/** What lies between the card that was chosen last and another one, both of them too. all: ids in the order shown. */
export function chooseRange(all: readonly string[], to: number) {
  const { ids, from } = useChosen.getState();
  const start = from ?? to;
  const range = all.slice(Math.min(start, to), Math.max(start, to) + 1);
  useChosen.setState({ ids: [...new Set([...(ids ?? []), ...range])], from: start });
}
