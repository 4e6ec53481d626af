/** Fingers on a view: two pinch and move the picture, whatever one of them began; one held still points. */
import { type PointerEvent, useRef } from "react";
import { type Gaze, zoomed } from "./space";

const STILL_PX = 8;
const HELD_MS = 450;

interface Seen {
  look: Gaze;
  aspect: number;
  width: number;
  height: number;
  place: (event: { clientX: number; clientY: number }) => [number, number];
  move: (next: Gaze) => void;
  /** One finger was held still: it points from now on. */
  onPoint: (at: [number, number]) => void;
}

interface Touch {
  at: [number, number];
  target: EventTarget;
  moved: boolean;
}

const between = (a: [number, number], b: [number, number]): [number, number] => [(a[0] + b[0]) / 2, (a[1] + b[1]) / 2];

export function useTouch({ look, aspect, width, height, place, move, onPoint }: Seen) {
  const touches = useRef(new Map<number, Touch>());
  const pinch = useRef<{ middle: [number, number]; apart: number; look: Gaze } | null>(null);
  const held = useRef<ReturnType<typeof setTimeout> | undefined>(undefined);
  const pointing = useRef(false);
  const begin = () => {
    const [one, other] = [...touches.current.values()];
    if (!one || !other) return;
    pinch.current = {
      middle: between(one.at, other.at),
      apart: Math.max(1, Math.hypot(one.at[0] - other.at[0], one.at[1] - other.at[1])),
      look,
    };
  };
  const hand = {
    onPointerDownCapture: (event: PointerEvent) => {
      if (event.pointerType !== "touch") return;
      const at = place(event);
      const first = [...touches.current.entries()][0];
      touches.current.set(event.pointerId, { at, target: event.target, moved: false });
      clearTimeout(held.current);
      if (touches.current.size === 1) {
        pointing.current = false;
        // A brush or a handle that is held is about to be drawn with.
        if (event.target !== event.currentTarget && !(event.target instanceof HTMLCanvasElement)) return;
        held.current = setTimeout(() => {
          pointing.current = true;
          onPoint(at);
        }, HELD_MS);
        return;
      }
      event.stopPropagation();
      // A line or a drag that the first finger began is none.
      if (first && !pinch.current)
        first[1].target.dispatchEvent(
          new window.PointerEvent("pointercancel", { pointerId: first[0], pointerType: "touch", bubbles: true }),
        );
      begin();
    },
    onPointerMoveCapture: (event: PointerEvent) => {
      const touch = touches.current.get(event.pointerId);
      if (!touch) return;
      const at = place(event);
      touch.moved ||= Math.hypot(at[0] - touch.at[0], at[1] - touch.at[1]) > STILL_PX;
      if (touch.moved) clearTimeout(held.current);
      else if (!pinch.current && !pointing.current) return event.stopPropagation();
      if (pointing.current && !pinch.current) {
        event.stopPropagation();
        onPoint(at);
        return;
      }
      if (!pinch.current) return;
      event.stopPropagation();
      touch.at = at;
      const [one, other] = [...touches.current.values()];
      if (!one || !other) return;
      const from = pinch.current;
      const middle = between(one.at, other.at);
      const factor = Math.hypot(one.at[0] - other.at[0], one.at[1] - other.at[1]) / from.apart;
      const next = zoomed(from.look, aspect, width, height, from.middle[0], from.middle[1], factor);
      move({
        ...next,
        x: next.x - (middle[0] - from.middle[0]) / next.scale,
        y: next.y - (middle[1] - from.middle[1]) / (next.scale * aspect),
      });
    },
    onPointerUpCapture: (event: PointerEvent) => end(event),
    onPointerCancelCapture: (event: PointerEvent) => {
      // The one sent above says that the finger's work is nothing, not that it is gone.
      if (event.isTrusted) end(event);
    },
  };
  const end = (event: PointerEvent) => {
    if (!touches.current.delete(event.pointerId)) return;
    clearTimeout(held.current);
    if (pinch.current) event.stopPropagation();
    // The finger that is left draws nothing more.
    if (touches.current.size === 0) pinch.current = null;
    else if (touches.current.size > 1) begin();
  };
  return hand;
}
