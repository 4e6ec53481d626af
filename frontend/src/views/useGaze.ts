/** Where a flat view looks, and the hand that moves it: drag, wheel, double click. */
import { type PointerEvent, type RefObject, useEffect, useRef } from "react";
import { finishedWidth } from "../editor/finished";
import type { LayerId, Material } from "../api/types";
import { shownBox } from "./draw";
import {
  extent,
  fitting,
  type Gaze,
  meetingScale,
  scaleAt,
  tileAspect,
  transform,
  wraps,
  zoomAt,
  zoomed,
} from "./space";
import { holdPointer } from "./hold";
import { type Side, useViews, type ViewSetup } from "./state";
import { useSize } from "./useSize";
import { useTouch } from "./useTouch";
import { useViewKeys } from "./useViewKeys";

/** How much of the view a picture that does not repeat takes. */
const MARGIN = 0.94;

export function useGaze(
  frame: RefObject<HTMLDivElement | null>,
  side: Side,
  layer: LayerId,
  setup: ViewSetup,
  material: Material,
) {
  const { width, height } = useSize(frame);
  const kept = useViews((state) => state.look);
  const aspect = tileAspect(material.preview);
  const box = extent(layer, material.preview);
  const { how, repeat } = setup;
  const fills = how === "repeated" && wraps(layer);
  const shown = shownBox(layer, box, how, repeat);
  const fit = fitting(shown, aspect, Math.max(width, 1), Math.max(height, 1), fills ? 1 : MARGIN);
  const meet = meetingScale(finishedWidth(material));
  // A view that shows repeats of its own keeps its own fit until somebody zooms.
  const scale = kept?.exact ? finishedWidth(material) / devicePixelRatio : scaleAt(fit.scale, meet, kept?.zoom ?? 0);
  const look: Gaze = kept ? { x: kept.x, y: kept.y, scale } : fit;
  const t = transform(look, aspect, width, height);
  // What does not repeat is not shown shifted either, whatever the view is set to.
  const shift = how === "shifted" && wraps(layer) ? 0.5 : 0;

  const move = (next: Gaze) =>
    useViews.setState({ look: { x: next.x, y: next.y, zoom: zoomAt(fit.scale, meet, next.scale) } });
  const place = (event: { clientX: number; clientY: number }): [number, number] => {
    const bounds = frame.current!.getBoundingClientRect();
    return [event.clientX - bounds.left, event.clientY - bounds.top];
  };

  // React's own listener could not keep the page from scrolling.
  useEffect(() => {
    const element = frame.current;
    if (!element) return;
    const wheel = (event: WheelEvent) => {
      event.preventDefault();
      const [px, py] = place(event);
      const by = Math.exp(-event.deltaY * (event.ctrlKey ? 0.008 : 0.0016));
      move(zoomed(look, aspect, element.clientWidth, element.clientHeight, px, py, by));
    };
    element.addEventListener("wheel", wheel, { passive: false });
    return () => element.removeEventListener("wheel", wheel);
  });

  const touch = useTouch({
    look,
    aspect,
    width,
    height,
    place,
    move,
    onPoint: ([px, py]) => {
      drag.current = null;
      const [x, y] = t.toTile(px, py);
      useViews.setState({ pointer: { x: x - shift, y: y - shift }, active: side });
    },
  });
  const keys = useViewKeys({ frame, look, aspect, t, shift, width, height, move });
  const drag = useRef<{ px: number; py: number; look: Gaze } | null>(null);
  const hand = {
    ...touch,
    ...keys,
    onPointerDown: (event: PointerEvent) => {
      if (event.button > 1) return;
      const [px, py] = place(event);
      drag.current = { px, py, look };
      holdPointer(event);
      useViews.setState({ active: side });
    },
    onPointerMove: (event: PointerEvent) => {
      const [px, py] = place(event);
      const from = drag.current;
      if (from && event.buttons) {
        const [dx, dy] = [(px - from.px) / from.look.scale, (py - from.py) / (from.look.scale * aspect)];
        move({ ...from.look, x: from.look.x - dx, y: from.look.y - dy });
      }
      const [x, y] = t.toTile(px, py);
      useViews.setState({ pointer: { x: x - shift, y: y - shift } });
    },
    onPointerUp: () => (drag.current = null),
    onPointerCancel: () => (drag.current = null),
    // A finger that is lifted leaves what it pointed at.
    onPointerLeave: (event: PointerEvent) => {
      if (event.pointerType !== "touch") useViews.setState({ pointer: null });
    },
    onDoubleClick: () => useViews.setState({ look: null }),
  };
  return { width, height, aspect, box, fit, look, t, shift, kept: kept !== null, move, hand };
}
