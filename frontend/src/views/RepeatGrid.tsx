/** The tile drawn on the photograph with every repeat in it: drag the whole to move it, the corner to change its size. */
import { type KeyboardEvent, type PointerEvent, useRef } from "react";
import { useTiling } from "../editor/figures";
import { change, useEditor, valueOf } from "../editor/store";
import type { Material } from "../api/types";
import { fromCapture, type Point, toCapture } from "./capture";
import { path, photoSpace } from "./FlatHandles";
import { placed, type Rect } from "./placed";
import { tileAspect, type Transform } from "./space";
import { holdPointer } from "./hold";
import { arrowStep } from "../ui/arrows";

const PARTS = 12;
export function RepeatGrid({ material, t }: { material: Material; t: Transform }) {
  const state = useEditor();
  const grid = useTiling(material)?.grid;
  const svg = useRef<SVGSVGElement>(null);
  const drag = useRef<{ from: Point; rect: Rect; gesture: string } | null>(null);
  const { view, picture, sample, work, tile } = material.preview;
  const aspect = picture[0] / picture[1];
  const { toScreen, toPhoto } = photoSpace(material, t);
  const at = (x: number, y: number): Point => toScreen(toCapture(view, aspect, [x, y]));
  const now: Rect = [
    sample[0],
    sample[1],
    sample[0] + ((sample[2] - sample[0]) * tile[0]) / work[0],
    sample[1] + ((sample[3] - sample[1]) * tile[1]) / work[1],
  ];
  // A suggestion that is not taken yet is drawn as it would be.
  const suggested = grid && valueOf(state, "tile.join.method") !== "lattice" ? (grid.box as Rect) : null;
  const rect = suggested ?? now;
  const line = (from: Point, to: Point) =>
    path(
      Array.from({ length: PARTS + 1 }, (_, i): Point =>
        at(from[0] + ((to[0] - from[0]) * i) / PARTS, from[1] + ((to[1] - from[1]) * i) / PARTS),
      ),
      false,
    );
  const steps = (from: number, to: number, period: number) =>
    period > 0
      ? Array.from({ length: Math.max(0, Math.round((to - from) / period) - 1) }, (_, i) => from + period * (i + 1))
      : [];
  const [left, top, right, bottom] = rect;
  const inner = grid
    ? [
        ...steps(left, right, grid.period[0]).map((x) => line([x, top], [x, bottom])),
        ...steps(top, bottom, grid.period[1]).map((y) => line([left, y], [right, y])),
      ].join("")
    : "";
  const outline = [
    line([left, top], [right, top]),
    line([right, top], [right, bottom]),
    line([right, bottom], [left, bottom]),
    line([left, bottom], [left, top]),
  ].join("");

  const take = (next: Rect, gesture: string) => {
    const overlap: Point = [work[0] / tile[0] - 1, work[1] / tile[1] - 1];
    change(
      placed(
        next,
        overlap,
        view.size,
        valueOf(state, "square.flat.stretch") as number,
        1 / tileAspect(material.preview),
      ),
      "Tile on the picture",
      gesture,
    );
  };
  const moved = (rect: Rect, whole: boolean, dx: number, dy: number): Rect => {
    if (!whole)
      return [rect[0], rect[1], Math.max(rect[0] + 0.02, rect[2] + dx), Math.max(rect[1] + 0.02, rect[3] + dy)];
    const [spareX, spareY] = [((rect[2] - rect[0]) * work[0]) / tile[0], ((rect[3] - rect[1]) * work[1]) / tile[1]];
    const x = Math.min(1 - spareX - rect[0], Math.max(-rect[0], dx));
    const y = Math.min(1 - spareY - rect[1], Math.max(-rect[1], dy));
    return [rect[0] + x, rect[1] + y, rect[2] + x, rect[3] + y];
  };
  const place = (event: PointerEvent): Point => {
    const bounds = svg.current!.getBoundingClientRect();
    return fromCapture(view, aspect, toPhoto(event.clientX - bounds.left, event.clientY - bounds.top));
  };
  const handlers = (whole: boolean) => ({
    onPointerDown: (event: PointerEvent) => {
      event.stopPropagation();
      holdPointer(event);
      drag.current = { from: place(event), rect, gesture: crypto.randomUUID() };
    },
    onPointerMove: (event: PointerEvent) => {
      const held = drag.current;
      if (!held || !event.buttons) return;
      event.stopPropagation();
      const [x, y] = place(event);
      take(moved(held.rect, whole, x - held.from[0], y - held.from[1]), held.gesture);
    },
    onPointerUp: () => (drag.current = null),
    onKeyDown: (event: KeyboardEvent) => {
      const by = arrowStep(event, 0.005, 0.0005);
      if (!by) return;
      take(moved(rect, whole, by[0], by[1]), "");
    },
  });
  const spoken = `${((right - left) * 100).toFixed(2)} × ${((bottom - top) * 100).toFixed(2)} % of the picture`;
  const corner = at(right, bottom);
  return (
    <>
      <svg ref={svg} data-testid="repeats" className="absolute inset-0 size-full">
        <g aria-hidden className="pointer-events-none" fill="none">
          <path d={inner} stroke="#000" strokeOpacity="0.55" strokeWidth="3" />
          <path d={inner} stroke="#fff" strokeOpacity="0.9" strokeWidth="1" strokeDasharray="4 4" />
          <path d={outline} stroke="#000" strokeWidth="4" />
          <path d={outline} stroke="var(--amber)" strokeWidth="2" strokeDasharray={suggested ? "7 5" : undefined} />
        </g>
        {!suggested && (
          <path
            d={path([at(left, top), at(right, top), corner, at(left, bottom)])}
            role="slider"
            tabIndex={0}
            aria-label="Tile on the picture"
            aria-valuenow={Math.round(left * 100)}
            aria-valuetext={`from ${(left * 100).toFixed(1)}, ${(top * 100).toFixed(1)} %`}
            fill="transparent"
            className="cursor-move"
            {...handlers(true)}
          />
        )}
      </svg>
      {!suggested && (
        <div
          role="slider"
          tabIndex={0}
          aria-label="Size of the tile"
          aria-valuenow={Math.round((right - left) * 100)}
          aria-valuetext={spoken}
          className="absolute grid size-7 -translate-1/2 cursor-nwse-resize place-items-center"
          style={{ left: corner[0], top: corner[1] }}
          {...handlers(false)}
        >
          <span className="size-[13px] rounded-full border-2 border-amber bg-black/40" />
        </div>
      )}
    </>
  );
}
