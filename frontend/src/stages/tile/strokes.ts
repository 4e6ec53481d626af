/** Brush strokes as they are kept in settings, and where they lie on the tile. */
import type { RepairStroke, Stroke as KeptStroke } from "../../api/types";
import type { Material } from "../../api/types";
import type { Point } from "../../views/capture";

export type Tool = "excluded" | "kept" | "one_piece" | "split_piece" | "clone" | "heal" | "fill";
export const ON_SAMPLE = ["excluded", "kept", "one_piece", "split_piece"] as const satisfies Tool[];
type OnSample = (typeof ON_SAMPLE)[number];
export const onSample = (tool: Tool): tool is OnSample => (ON_SAMPLE as readonly Tool[]).includes(tool);

/** radius: 0 for an outlined area; points and radius in tile widths and heights. from: how much further on it copies from. */
export interface Stroke {
  tool: Tool;
  radius: number;
  points: Point[];
  from: Point;
  /** Of a pen: how much of the radius there is at each point. */
  pressure?: number[];
}

export type StrokePath = `tile.join.${OnSample}` | "tile.retouch.strokes";
export const pathOf = (tool: Tool): StrokePath => (onSample(tool) ? `tile.join.${tool}` : "tile.retouch.strokes");

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
const tidied = ([x, y]: Point): Point => [tidy(x), tidy(y)];

/** All strokes of one setting, on the tile. */
export function readStrokes(
  path: StrokePath,
  kept: KeptStroke[] | RepairStroke[],
  preview: Material["preview"],
): Stroke[] {
  if (path === "tile.retouch.strokes") {
    return (kept as RepairStroke[]).map(({ kind, dx = 0, dy = 0, radius, points, pressure }) => ({
      tool: kind,
      from: [dx, dy],
      radius,
      points,
      ...pressedAs(pressure),
    }));
  }
  const { back, across } = onPicture(preview);
  const tool = path.slice("tile.join.".length) as OnSample;
  return kept.map(({ radius, points, pressure }) => ({
    tool,
    from: [0, 0],
    radius: radius / across,
    points: points.map(back),
    ...pressedAs(pressure),
  }));
}

/** The setting that holds these strokes. */
export function writeStrokes(
  path: StrokePath,
  strokes: Stroke[],
  preview: Material["preview"],
): KeptStroke[] | RepairStroke[] {
  if (path === "tile.retouch.strokes") {
    return strokes.map(({ tool, from, radius, points, pressure }): RepairStroke => {
      const [dx, dy] = tidied(from);
      return {
        kind: tool as RepairStroke["kind"],
        dx,
        dy,
        radius: tidy(radius),
        points: points.map(tidied),
        ...pressedAs(pressure),
      };
    });
  }
  const { to, across } = onPicture(preview);
  return strokes.map(({ radius, points, pressure }) => ({
    radius: tidy(radius * across),
    points: points.map(to).map(tidied),
    ...pressedAs(pressure),
  }));
}

/** Pressure as it is kept: only where a pen told some. */
export const pressedAs = (pressure: number[] = []): { pressure?: number[] } => (pressure.length ? { pressure } : {});

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
export const shifted = (stroke: Stroke, [dx, dy]: Point): Stroke => ({
  ...stroke,
  points: stroke.points.map(([x, y]): Point => [x + dx, y + dy]),
});

/** Which strokes a line of that radius touches, by their places in the list. An outlined area is touched inside too. */
export function touchedBy(line: Point[], radius: number, strokes: readonly { radius: number; points: Point[] }[]) {
  const touches = ({ radius: own, points }: { radius: number; points: Point[] }) => {
    const reach = Math.max(own, 0) + radius;
    const closed = own === 0 && points.length > 2;
    const ends = closed ? [...points, points[0]!] : points;
    return line.some(
      (at) => ends.some((to, i) => apart(at, ends[Math.max(0, i - 1)]!, to) <= reach) || (closed && inside(at, points)),
    );
  };
  return strokes.flatMap((stroke, i) => (touches(stroke) ? [i] : []));
}

/** How far a place lies from the line between two. */
function apart([x, y]: Point, [ax, ay]: Point, [bx, by]: Point): number {
  const [dx, dy] = [bx - ax, by - ay];
  const along = dx || dy ? Math.min(1, Math.max(0, ((x - ax) * dx + (y - ay) * dy) / (dx * dx + dy * dy))) : 0;
  return Math.hypot(x - ax - along * dx, y - ay - along * dy);
}

function inside([x, y]: Point, points: Point[]): boolean {
  let odd = false;
  points.forEach(([ax, ay], i) => {
    const [bx, by] = points[(i + 1) % points.length]!;
    if (ay > y !== by > y && x < ax + ((y - ay) * (bx - ax)) / (by - ay)) odd = !odd;
  });
  return odd;
}
