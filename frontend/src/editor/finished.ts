import type { Material } from "../api/types";

/** Pixels across and down the finished maps. */
export const finishedWidth = (material: Material): number => material.preview.finished[0];
export const finishedHeight = (material: Material): number => material.preview.finished[1];
