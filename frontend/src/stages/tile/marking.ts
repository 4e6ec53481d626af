/** Filling places of the tile: by what stands out, or marked by hand. */
import { create } from "zustand";
import { api } from "../../api/client";
import type { Place } from "../../api/types";
import { type Changes, change, settled, useEditor, valueOf } from "../../editor/store";
import { tellProblem } from "../../ui/notices";
import { registerTool } from "../tools";

/** radius: of a place marked by hand, in tile widths. joins: the tile plan is laid over the first view. */
export const useMarking = create<{ marking: boolean; radius: number; busy: boolean; joins: boolean }>(() => ({
  marking: false,
  radius: 0.03,
  busy: false,
  joins: false,
}));
registerTool("place to fill", useMarking, ({ marking }) => marking, { marking: false });

export const fill = (id: string, places: Place[]) => mend(api.fill, "filled", id, places);
/** Out of the sample: the method plans round it. */
export const leaveOut = (id: string, places: Place[]) => mend(api.leaveOut, "left out", id, places);

async function mend(how: typeof api.fill, done: string, id: string, places: Place[]) {
  useMarking.setState({ busy: true });
  try {
    await settled();
    const plain = places.map(({ x, y, radius, points = [] }) => ({ x, y, radius, points }));
    change((await how(id, plain)) as Changes, places.length > 1 ? `${places.length} places ${done}` : `Place ${done}`);
  } catch (error) {
    tellProblem(error);
  } finally {
    useMarking.setState({ busy: false });
  }
}

/** Lets the place of that number be as it was. */
export function unfill(number: number) {
  const kept = valueOf(useEditor.getState(), "tile.repair.spots").filter((_, i) => i !== number);
  change({ "tile.repair.spots": kept }, "Filling taken back");
}

export const standsOut = <P extends { strength: number }>(found: { alarm: number; places: P[] }): P[] =>
  found.places.filter((place) => place.strength >= found.alarm);
