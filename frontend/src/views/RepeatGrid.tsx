/** The repeats that were found, drawn on the photograph: the tile, and every period in it. */
import { useTiling } from "../bench/figures";
import type { Material } from "../api/types";
import { type Point, toCapture } from "./capture";
import { path, photoSpace } from "./FlatHandles";
import type { Transform } from "./space";

const PARTS = 12;

export function RepeatGrid({ material, t }: { material: Material; t: Transform }) {
  const grid = useTiling(material)?.grid;
  if (!grid) return null;
  const { view, picture } = material.preview;
  const { toScreen } = photoSpace(material, t);
  const [left, top, right, bottom] = grid.box;
  const line = (from: Point, to: Point) =>
    path(
      Array.from({ length: PARTS + 1 }, (_, i): Point => {
        const share = i / PARTS;
        return toScreen(toCapture(view, picture[0] / picture[1], [from[0] + (to[0] - from[0]) * share, from[1] + (to[1] - from[1]) * share]));
      }),
      false,
    );
  const steps = (from: number, to: number, period: number) => (period > 0 ? Array.from({ length: Math.max(0, Math.round((to - from) / period) - 1) }, (_, i) => from + period * (i + 1)) : []);
  const inner = [
    ...steps(left, right, grid.period[0]).map((x) => line([x, top], [x, bottom])),
    ...steps(top, bottom, grid.period[1]).map((y) => line([left, y], [right, y])),
  ];
  const outline = [line([left, top], [right, top]), line([right, top], [right, bottom]), line([right, bottom], [left, bottom]), line([left, bottom], [left, top])];
  return (
    <svg aria-label="Repeats found" data-testid="repeats" className="pointer-events-none absolute inset-0 size-full">
      <path d={inner.join("")} fill="none" stroke="#000" strokeOpacity="0.55" strokeWidth="3" />
      <path d={inner.join("")} fill="none" stroke="#fff" strokeOpacity="0.9" strokeWidth="1" strokeDasharray="4 4" />
      <path d={outline.join("")} fill="none" stroke="#000" strokeWidth="4" />
      <path d={outline.join("")} fill="none" stroke="var(--amber)" strokeWidth="2" />
    </svg>
  );
}
