/** Fetches layer pictures by content key; the old one stays until the new one is there. */
import { useEffect, useRef, useState } from "react";
import { pictureUrl, request } from "../api/client";
import { busy } from "../bench/busy";
import type { LayerId } from "../api/types";
import { tellProblem } from "../ui/notices";

export interface Picture {
  url: string;
  layer: LayerId;
  bitmap: ImageBitmap;
}

const MOST = 28;
const kept = new Map<string, Picture>();

function keep(picture: Picture) {
  kept.set(picture.url, picture);
  for (const [url, old] of kept) {
    if (kept.size <= MOST) break;
    kept.delete(url);
    // Views may still be drawing it; let the collector close it.
    void old;
  }
}

export interface PictureAsk {
  id: string;
  layer: LayerId;
  key: string;
  slot: string;
  side: number;
}

/** The newest picture there is for what is asked, and whether a newer one is on its way. */
export function usePicture(ask: PictureAsk | null): { picture: Picture | null; waiting: boolean } {
  const url = ask ? pictureUrl(ask.id, ask.layer, "jpg", ask.key, ask.slot, ask.side) : null;
  const [picture, setPicture] = useState<Picture | null>(null);
  const flight = useRef<{ url: string; control: AbortController; began: number } | null>(null);
  const wanted = useRef<{ url: string; layer: LayerId } | null>(null);

  useEffect(() => {
    wanted.current = url && ask ? { url, layer: ask.layer } : null;
    const go = async () => {
      const want = wanted.current;
      if (!want) return;
      const ready = kept.get(want.url);
      if (ready) {
        setPicture(ready);
        return;
      }
      if (flight.current) {
        // One at a time keeps pictures coming during a drag; only a slow one is called off.
        if (performance.now() - flight.current.began < 400) return;
        flight.current.control.abort();
      }
      const mine = { url: want.url, control: new AbortController(), began: performance.now() };
      flight.current = mine;
      const done = busy(want.layer);
      try {
        const response = await request(want.url, { signal: mine.control.signal });
        const bitmap = await createImageBitmap(await response.blob());
        const fresh = { url: want.url, layer: want.layer, bitmap };
        keep(fresh);
        // The newest there is: better than the old one even when a newer one is wanted by now.
        if (wanted.current) setPicture(fresh);
      } catch (error) {
        const calledOff = error instanceof DOMException || (error as { status?: number }).status === 499;
        if (!calledOff && wanted.current?.url === want.url) tellProblem(error, "The picture could not be made");
      } finally {
        done();
        if (flight.current === mine) {
          flight.current = null;
          if (wanted.current && wanted.current.url !== want.url) void go();
        }
      }
    };
    void go();
    // The url says everything that matters.
    // eslint-disable-next-line react-hooks/exhaustive-deps
  }, [url]);

  useEffect(
    () => () => {
      wanted.current = null;
    },
    [],
  );
  const fits = picture && ask && picture.layer === ask.layer ? picture : null;
  return { picture: fits, waiting: url !== null && fits?.url !== url };
}
