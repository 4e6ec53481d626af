/** A canvas that shows a layer, and a part of what it is compared with. */
import { type RefObject, useLayoutEffect, useRef } from "react";
import type { LayerId } from "../api/types";
import { type channelOf, draw } from "./draw";
import type { extent, transform } from "./space";
import type { ViewSetup } from "./state";

type Drawable = ReturnType<typeof channelOf>;

interface Scene {
  width: number;
  height: number;
  t: ReturnType<typeof transform>;
  /** What is drawn; nothing yet: the surround alone. */
  what: Drawable | null;
  /** Other tiles of a set, among which repeats are laid at random. */
  others: readonly Drawable[];
  /** What is drawn over it from the left up to `split` of the width. */
  wiped: Drawable | null;
  split: number;
  layer: LayerId;
  box: ReturnType<typeof extent>;
  how: ViewSetup["how"];
  alone: boolean;
  /** Whatever else decides where things lie: drawn anew when one of these is another. */
  where: readonly number[];
}

export function usePainted(canvas: RefObject<HTMLCanvasElement | null>, name: string, scene: Scene) {
  const drawn = useRef<unknown[]>([]);
  useLayoutEffect(() => {
    const { width, height, t, what, others, wiped, split, layer, box, how, alone, where } = scene;
    const target = canvas.current;
    const context = target?.getContext("2d", { alpha: false });
    if (!target || !context || !width) return;
    const density = devicePixelRatio;
    const [w, h] = [Math.round(width * density), Math.round(height * density)];
    if (target.width !== w || target.height !== h) [target.width, target.height] = [w, h];
    context.setTransform(density, 0, 0, density, 0, 0);
    const surround = getComputedStyle(target).getPropertyValue("--surround");
    target.dataset.shown = name;
    // Drawing is most of what a change costs in the page: once for each thing to see, however often this is rendered.
    const seen = [what, ...others, wiped, split, w, h, layer, how, alone, surround, ...where, ...Object.values(box)];
    if (seen.length === drawn.current.length && seen.every((one, at) => one === drawn.current[at])) return;
    drawn.current = seen;
    if (!what) {
      context.fillStyle = surround;
      context.fillRect(0, 0, width, height);
      return;
    }
    draw(context, width, height, t, { source: what, others, layer, box, how, alone, surround });
    if (!wiped) return;
    context.save();
    context.beginPath();
    context.rect(split * width, 0, width, height);
    context.clip();
    draw(context, width, height, t, { source: wiped, layer, box, how, alone, surround });
    context.restore();
  });
}
