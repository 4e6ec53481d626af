import type { Material } from "../api/types";

/** Pixels across and down the finished maps. */
export const finishedWidth = (material: Material): number => material.preview.finished[0];
export const finishedHeight = (material: Material): number => material.preview.finished[1];

/** A cut-out does not repeat. */
export const isCutOut = (material: Material): boolean => material.recipe.operations["tile.cutout"]?.on === true;

/** Pixels of the capture across a tile. */
export function capturedWidth({ preview: { sample, view, tile, work } }: Material): number {
  return ((sample[2] - sample[0]) * view.size[0] * tile[0]) / work[0];
}

/** The pattern scale at which a pixel of the maps is one of the capture; the least there is where it is too small. now:
 * the present one. */
export const unenlarged = (captured: number, finished: number, now: number): number =>
  Math.max(25, Math.round((10 * now * captured) / finished) / 10);

/** Sides that maps can have. */
const LEAST = 256;
const MOST = 16384;

/** The size of maps that keeps what was captured: `wide` or the next that loses little; `whole` says whether it does. */
export function keepingSize(captured: number): { wide: number; whole: boolean } {
  const wide = 2 ** Math.round(Math.log2(captured));
  return { wide: Math.min(Math.max(wide, LEAST), MOST), whole: wide <= MOST };
}
