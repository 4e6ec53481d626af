/** Fetches layer pictures by content key; the old one stays until the new one is there. */
import { useEffect, useLayoutEffect, useRef, useState } from "react";
import { calledOff, hasPassed, pictureUrl, request } from "../api/client";
import { busy } from "../editor/busy";
import { tellProblem } from "../ui/notices";
import { HALF, isSlow, keep, keptPicture, noteTime, type Picture, pictureName, type Shown, USUAL } from "./kept";

/** Changes nearer to each other than this are one movement; after it, the whole picture follows. After a step alone it
 * follows at once. */
const MOVING_MS = 60;
/** Whether a button of the mouse, a finger or a pen is down anywhere. */
let pressed = false;
if (typeof addEventListener === "function") {
  addEventListener("pointerdown", () => (pressed = true), true);
  for (const over of ["pointerup", "pointercancel"]) addEventListener(over, () => (pressed = false), true);
}

export interface PictureAsk {
  id: string;
  layer: Shown;
  key: string;
  slot: string;
  side: number;
}

/** A picture that is wanted. whole: in the size that was asked for, not in half of it. next: what follows it at once. */
interface Want {
  name: string;
  url: string;
  layer: Shown;
  whole: boolean;
  next?: Want;
}

const halfOf = ({ id, layer, key, slot }: PictureAsk) => pictureUrl(id, layer, "jpg", key, slot, HALF);

/** The newest picture there is for what is asked, and whether a newer one is on its way. */
export function usePicture(ask: PictureAsk | null): { picture: Picture | null; waiting: boolean } {
  const url = ask ? pictureUrl(ask.id, ask.layer, "jpg", ask.key, ask.slot, ask.side) : null;
  const [picture, setPicture] = useState<Picture | null>(null);
  const name = ask ? pictureName(ask.layer, ask.key, ask.side) : null;
  const flight = useRef<{ name: string; control: AbortController; began: number } | null>(null);
  const wanted = useRef<Want | null>(null);
  /** When something else was wanted last, and of which layer; what brings the whole picture after a movement. */
  const moved = useRef({ at: -Infinity, of: "", rest: 0 });

  // Before the screen is painted: the sooner the question goes out, the sooner the picture is there.
  useLayoutEffect(() => {
    const since = performance.now() - moved.current.at;
    const of = ask ? `${ask.id}/${ask.layer}` : "";
    // Of another layer nothing is there yet that half of it could be made of.
    const changed = of === moved.current.of;
    Object.assign(moved.current, { at: performance.now(), of });
    clearTimeout(moved.current.rest);
    const slow = changed && ask?.side === USUAL && isSlow(ask.layer) && !keptPicture(name ?? "");
    const whole: Want | null = url && name && ask ? { name, url, layer: ask.layer, whole: true } : null;
    wanted.current = whole;
    if (whole && ask && slow) {
      const half = { name: pictureName(ask.layer, ask.key, HALF), url: halfOf(ask), layer: ask.layer, whole: false };
      if (pressed || since < MOVING_MS) {
        wanted.current = half;
        moved.current.rest = window.setTimeout(() => {
          wanted.current = whole;
          void go();
        }, MOVING_MS);
      } else wanted.current = { ...half, next: whole };
    }
    const go = async () => {
      const want = wanted.current;
      if (!want) return;
      const ready = keptPicture(want.name);
      if (ready) {
        setPicture(ready);
        if (want.next) {
          wanted.current = want.next;
          void go();
        }
        return;
      }
      if (flight.current) {
        // One at a time keeps pictures coming during a drag; only a slow one is called off.
        if (performance.now() - flight.current.began < 400) return;
        flight.current.control.abort();
      }
      const mine = { name: want.name, control: new AbortController(), began: performance.now() };
      flight.current = mine;
      const done = busy(want.layer);
      try {
        const response = await request(want.url, { signal: mine.control.signal });
        const bitmap = await createImageBitmap(await response.blob());
        const fresh = { name: want.name, layer: want.layer, bitmap };
        keep(fresh);
        if (want.whole) noteTime(want.layer, performance.now() - mine.began, true);
        // The newest there is: better than the old one even when a newer one is wanted by now.
        if (wanted.current) setPicture(fresh);
      } catch (error) {
        const dropped = error instanceof DOMException || calledOff(error) || hasPassed(error);
        if (!dropped && wanted.current?.name === want.name) tellProblem(error, "The picture could not be made");
      } finally {
        done();
        if (flight.current === mine) {
          flight.current = null;
          if (wanted.current === want && want.next) wanted.current = want.next;
          if (wanted.current && wanted.current.name !== want.name) void go();
        }
      }
    };
    void go();
    // The name says everything that matters.
    // eslint-disable-next-line react-hooks/exhaustive-deps
  }, [name]);

  useEffect(() => {
    const movement = moved.current;
    return () => {
      clearTimeout(movement.rest);
      wanted.current = null;
    };
  }, []);
  const newest = (name ? keptPicture(name) : null) ?? picture;
  const fits = newest && ask && newest.layer === ask.layer ? newest : null;
  return { picture: fits, waiting: name !== null && fits?.name !== name };
}
