/** What layers are called. */
import { roleOf, roles } from "../api/about";
import type { LayerId, StageId } from "../api/types";
import type { What } from "./state";

const STEPS = { gathered: "Photograph", squared: "Sample", evened: "Evened", tiled: "Tiled colour" } as const;
/** Layers on the way to the maps, in order. */
export const ON_THE_WAY = Object.keys(STEPS) as (keyof typeof STEPS)[];

export const isLayer = (id: string): id is LayerId => id in STEPS || roleOf(id) !== undefined;
export const allLayers = (): LayerId[] => [...ON_THE_WAY, ...roles().map(({ id }) => id)];
/** What a layer is called; its id where it is none. */
export const layerName = (id: string): string => STEPS[id as keyof typeof STEPS] ?? roleOf(id)?.short ?? id;
export const whatName = (what: What): string => (what === "lit" ? "Lit" : layerName(what));
export const STAGE_NAMES: Record<StageId, string> = {
  gather: "Gather",
  square: "Square",
  even: "Even",
  tile: "Tile",
  relief: "Relief",
  response: "Response",
  check: "Check",
  pack: "Pack",
};
export const STAGE_ABOUT: Record<StageId, string> = {
  gather: "What was captured, and whether it is good enough.",
  square: "Which part becomes the sample, and how large the tile is.",
  even: "Take the light out, keep the colour.",
  tile: "Make left meet right and top meet bottom.",
  relief: "How high each point lies, and how the surface leans.",
  response: "How the surface answers light.",
  check: "Prove the set right before it leaves.",
  pack: "Which files leave, and what each channel holds.",
};
