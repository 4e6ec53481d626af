import type { Material } from "../api/types";

/** Pixels across the finished maps. */
export const finishedWidth = (material: Material): number => Number(material.recipe.operations["square.size"]?.width ?? 1024);
export const finishedHeight = (material: Material): number => Number(material.recipe.operations["square.size"]?.height ?? 1024);
