/** Where layers lie in tile space: one tile is the unit square; the sample reaches beyond it, the photograph further. */
import type { LayerId, Material } from "../api/types";
import { toCapture } from "./capture";

export interface Box {
  left: number;
  top: number;
  width: number;
  height: number;
}

/** The rectangle a layer covers, in tile widths across and tile heights down. */
export function extent(layer: LayerId, preview: Material["preview"]): Box {
  const work = { width: preview.work[0] / preview.tile[0], height: preview.work[1] / preview.tile[1] };
  if (layer === "squared" || layer === "evened") return { left: 0, top: 0, ...work };
  if (layer !== "gathered") return { left: 0, top: 0, width: 1, height: 1 };
  const [left, top, right, bottom] = preview.sample;
  const width = work.width / (right - left);
  const { view, picture } = preview;
  if (!view.plain) {
    // Through perspective the sample is no rectangle of the photograph: only its middle is put where the sample's is.
    const height = (width * (picture[1] / picture[0])) / tileAspect(preview);
    const [x, y] = toCapture(view, picture[0] / picture[1], [(left + right) / 2, (top + bottom) / 2]);
    return { left: work.width / 2 - x * width, top: work.height / 2 - y * height, width, height };
  }
  const height = work.height / (bottom - top);
  return { left: -left * width, top: -top * height, width, height };
}

export const wraps = (layer: LayerId) => layer !== "gathered" && layer !== "squared" && layer !== "evened";

/** Height of a tile over its width. */
export const tileAspect = (preview: Material["preview"]) => preview.tile[1] / preview.tile[0];

/** A place in the middle of a view, and px of the screen for one tile width. */
export interface Gaze {
  x: number;
  y: number;
  scale: number;
}

/** The gaze that shows a box whole, filling the given share of the view. */
export function fitting(box: Box, aspect: number, width: number, height: number, fill = 0.94): Gaze {
  const scale = Math.min(width / box.width, height / (box.height * aspect)) * fill;
  return { x: box.left + box.width / 2, y: box.top + box.height / 2, scale: Math.max(scale, 1) };
}

export interface Transform {
  toScreen: (x: number, y: number) => [number, number];
  toTile: (px: number, py: number) => [number, number];
  scale: number;
}

/** Between tile space and the pixels of one view. */
export function transform(look: Gaze, aspect: number, width: number, height: number): Transform {
  const down = look.scale * aspect;
  return {
    scale: look.scale,
    toScreen: (x, y) => [(x - look.x) * look.scale + width / 2, (y - look.y) * down + height / 2],
    toTile: (px, py) => [(px - width / 2) / look.scale + look.x, (py - height / 2) / down + look.y],
  };
}

/** The gaze after zooming by factor with the place under the pointer kept still. */
export function zoomed(
  look: Gaze,
  aspect: number,
  width: number,
  height: number,
  px: number,
  py: number,
  factor: number,
): Gaze {
  const scale = Math.min(40000, Math.max(24, look.scale * factor));
  const [x, y] = transform(look, aspect, width, height).toTile(px, py);
  return { scale, x: x - (px - width / 2) / scale, y: y - (py - height / 2) / (scale * aspect) };
}

/**
 * Linked zoom. Views that fit different things start at different scales; zooming in brings them together until,
 * from zoom 1 on, a pixel has the same size in all of them.
 */
export function scaleAt(fit: number, meet: number, zoom: number): number {
  if (zoom <= 0) return fit * 2 ** zoom;
  return zoom <= 1 ? fit ** (1 - zoom) * meet ** zoom : meet * 2 ** (zoom - 1);
}

/** The zoom at which a view with this fit has this scale: the inverse of scaleAt. */
export function zoomAt(fit: number, meet: number, scale: number): number {
  if (scale <= fit) return Math.log2(scale / fit);
  return scale <= meet ? Math.log(scale / fit) / Math.log(meet / fit) : 1 + Math.log2(scale / meet);
}

/** The scale from which on all views agree: one finished pixel a screen pixel, or clearly more than any fit. */
export function meetingScale(finished: number): number {
  return Math.max(finished / devicePixelRatio, 1.5 * Math.max(innerWidth, innerHeight));
}
