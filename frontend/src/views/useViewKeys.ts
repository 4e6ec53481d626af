/** A view worked by keys alone: arrows move the crosshair, Shift finely, Ctrl the picture; plus and minus zoom; Enter presses
 * where the crosshair is, Space puts a brush down and takes it up again. */
import { type KeyboardEvent, type RefObject, useEffect, useRef } from "react";
import { type Gaze, type Transform, zoomed } from "./space";
import { useViews } from "./state";

interface Seen {
  frame: RefObject<HTMLDivElement | null>;
  look: Gaze;
  aspect: number;
  t: Transform;
  shift: number;
  width: number;
  height: number;
  move: (next: Gaze) => void;
}

const ARROWS: Record<string, [number, number]> = {
  ArrowLeft: [-1, 0],
  ArrowRight: [1, 0],
  ArrowUp: [0, -1],
  ArrowDown: [0, 1],
};
const [COARSE, FINE] = [12, 1];
/** What keys press with: the number a mouse has. */
const POINTER = 1;

export function useViewKeys({ frame, look, aspect, t, shift, width, height, move }: Seen) {
  /** Where the brush went down: what is drawn on follows it until it is taken up. */
  const down = useRef<Element | null>(null);
  const at = (): [number, number] => {
    const { pointer } = useViews.getState();
    const [x, y] = pointer ? t.toScreen(pointer.x + shift, pointer.y + shift) : [-1, -1];
    return x >= 0 && y >= 0 && x <= width && y <= height ? [x, y] : [width / 2, height / 2];
  };
  const put = ([x, y]: [number, number]) => {
    const [u, v] = t.toTile(x, y);
    useViews.setState({ pointer: { x: u - shift, y: v - shift } });
  };
  const send = (kind: string, [x, y]: [number, number], to: Element, pressed: boolean) => {
    const bounds = frame.current!.getBoundingClientRect();
    const place = { clientX: bounds.left + x, clientY: bounds.top + y, bubbles: true, cancelable: true };
    const hand = { pointerId: POINTER, pointerType: "mouse", isPrimary: true, buttons: pressed ? 1 : 0 };
    to.dispatchEvent(kind === "click" ? new MouseEvent(kind, place) : new PointerEvent(kind, { ...place, ...hand }));
  };
  const under = ([x, y]: [number, number]): Element => {
    const bounds = frame.current!.getBoundingClientRect();
    const found = document.elementFromPoint(bounds.left + x, bounds.top + y);
    return found && frame.current!.contains(found) ? found : frame.current!;
  };
  const lift = (spot: [number, number]) => {
    if (down.current) send("pointerup", spot, down.current, false);
    down.current = null;
  };
  // Whoever goes elsewhere with the brush down ends the stroke.
  useEffect(
    () => () => {
      down.current = null;
    },
    [],
  );
  const onKeyDown = (event: KeyboardEvent) => {
    if (event.target !== event.currentTarget || event.altKey) return;
    const spot = at();
    const arrow = ARROWS[event.key];
    const zoom = { "+": 1.25, "=": 1.25, "-": 0.8, "−": 0.8 }[event.key];
    if (arrow && (event.ctrlKey || event.metaKey)) {
      const [dx, dy] = [(arrow[0] * width) / 8, (arrow[1] * height) / 8];
      move({ ...look, x: look.x + dx / look.scale, y: look.y + dy / (look.scale * aspect) });
    } else if (arrow) {
      const step = event.shiftKey ? FINE : COARSE;
      const next: [number, number] = [
        Math.min(width, Math.max(0, spot[0] + arrow[0] * step)),
        Math.min(height, Math.max(0, spot[1] + arrow[1] * step)),
      ];
      put(next);
      send("pointermove", next, down.current ?? under(next), down.current !== null);
    } else if (zoom) {
      put(spot);
      move(zoomed(look, aspect, width, height, spot[0], spot[1], zoom));
    } else if (event.key === "Enter") {
      put(spot);
      const to = under(spot);
      send("pointerdown", spot, to, true);
      send("pointerup", spot, to, false);
      send("click", spot, to, false);
    } else if (event.key === " ") {
      put(spot);
      if (down.current) lift(spot);
      else {
        down.current = under(spot);
        send("pointerdown", spot, down.current, true);
      }
    } else return;
    event.preventDefault();
    event.stopPropagation();
  };
  const onFocus = (event: { target: EventTarget; currentTarget: EventTarget }) => {
    // Only for whoever came here by keys: a crosshair in the middle to begin with.
    if (event.target === event.currentTarget && frame.current?.matches(":focus-visible")) put(at());
  };
  const onBlur = () => lift(at());
  return { onKeyDown, onFocus, onBlur };
}
