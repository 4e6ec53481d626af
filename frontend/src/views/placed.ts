/** Where the tile lies on the picture, as settings. */
import type { Changes } from "../editor/store";
import type { Point } from "./capture";

/** Left, top, right, bottom of the tile in the flattened picture, 0..1. */
export type Rect = [number, number, number, number];

/** Crop, and width over height, that put the tile there. overlap: shares of the tile; size: px of the flattened picture. aspect: width over height of the maps. */
export function placed(rect: Rect, overlap: Point, size: [number, number], stretch: number, aspect: number): Changes {
  const [left, top] = [Math.max(rect[0], 0), Math.max(rect[1], 0)];
  const width = Math.min(rect[2] - rect[0], (1 - left) / (1 + overlap[0]));
  const height = Math.min(rect[3] - rect[1], (1 - top) / (1 + overlap[1]));
  const tidy = (share: number) => Number((share * 100).toFixed(4));
  return {
    "square.crop.left": tidy(left),
    "square.crop.top": tidy(top),
    "square.crop.right": tidy(left + width * (1 + overlap[0])),
    "square.crop.bottom": tidy(top + height * (1 + overlap[1])),
    "square.flat.stretch": Number(
      Math.min(4, Math.max(0.25, (stretch * aspect * height * size[1]) / (width * size[0]))).toFixed(5),
    ),
  };
}
