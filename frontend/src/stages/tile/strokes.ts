/** Brush strokes as they are kept in settings, and where they lie on the tile. */
import type { Material, SettingPath } from "../../api/types";
import type { Point } from "../../views/capture";

export type Tool = "excluded" | "kept" | "clone" | "heal" | "fill";
export const ON_SAMPLE: Tool[] = ["excluded", "kept"];

/** radius: 0 for an outlined area; points and radius in tile widths and heights. from: how much further on it copies from. */
export interface Stroke {
  tool: Tool;
  radius: number;
  points: Point[];
  from: Point;
}

export const pathOf = (tool: Tool): SettingPath => (tool === "excluded" || tool === "kept" ? `tile.join.${tool}` : "tile.touch.strokes");

/** From the tile to the flattened picture and back: x, y, and lengths across. */
export function onPicture({ sample, work, tile }: Material["preview"]) {
  const across = ((sample[2] - sample[0]) * tile[0]) / work[0];
  const down = ((sample[3] - sample[1]) * tile[1]) / work[1];
  return {
    to: ([x, y]: Point): Point => [sample[0] + x * across, sample[1] + y * down],
    back: ([x, y]: Point): Point => [(x - sample[0]) / across, (y - sample[1]) / down],
    across,
  };
}

const tidy = (n: number) => Number(n.toFixed(5));
const pairs = (flat: number[]): Point[] => Array.from({ length: flat.length / 2 }, (_, i): Point => [flat[2 * i]!, flat[2 * i + 1]!]);

/** All strokes of one setting, on the tile. */
export function readStrokes(path: SettingPath, text: string, preview: Material["preview"]): Stroke[] {
  const rows = JSON.parse(text || "[]") as (number | string)[][];
  if (path === "tile.touch.strokes") {
    return rows.map(([kind, dx, dy, radius, ...rest]) => ({ tool: kind as Tool, from: [dx as number, dy as number], radius: radius as number, points: pairs(rest as number[]) }));
  }
  const { back, across } = onPicture(preview);
  const tool: Tool = path === "tile.join.kept" ? "kept" : "excluded";
  return (rows as number[][]).map(([radius, ...rest]) => ({ tool, from: [0, 0], radius: radius! / across, points: pairs(rest).map(back) }));
}

/** The setting that holds these strokes; "" for none. */
export function writeStrokes(path: SettingPath, strokes: Stroke[], preview: Material["preview"]): string {
  if (!strokes.length) return "";
  if (path === "tile.touch.strokes") {
    return JSON.stringify(strokes.map(({ tool, from, radius, points }) => [tool, tidy(from[0]), tidy(from[1]), tidy(radius), ...points.flat().map(tidy)]));
  }
  const { to, across } = onPicture(preview);
  return JSON.stringify(strokes.map(({ radius, points }) => [tidy(radius * across), ...points.map(to).flat().map(tidy)]));
}

/** A drawn line without points that say nothing: none nearer to the one before than `least`. */
export function thinned(points: Point[], least: number): Point[] {
  const kept: Point[] = [];
  for (const point of points) {
    const last = kept.at(-1);
    if (!last || Math.hypot(point[0] - last[0], point[1] - last[1]) >= least) kept.push(point);
  }
  return kept;
}

/** The stroke so much further on. */
export const shifted = (stroke: Stroke, [dx, dy]: Point): Stroke => ({ ...stroke, points: stroke.points.map(([x, y]): Point => [x + dx, y + dy]) });
