/** What the service announces: changed materials, the library, jobs. */
import { useEffect } from "react";
import type { Job } from "../api/types";
import { openStream, type Told } from "./stream";

interface Announced {
  material: { id: string; revision: number };
  library: { id: string };
  job: Job;
  /** How far a long decision is. */
  working: { id: string; share: number; what: string };
  /** How far the projecting of a scan is. */
  scan: { slot: string; share: number; what: string };
  /** The line is up, for the first time or again: anything may have been missed. */
  back: null;
  /** The line is down. */
  away: null;
}

type Listener<K extends keyof Announced> = (data: Announced[K]) => void;

const listeners: { [K in keyof Announced]: Set<Listener<K>> } = {
  material: new Set(),
  library: new Set(),
  job: new Set(),
  working: new Set(),
  scan: new Set(),
  back: new Set(),
  away: new Set(),
};
let opened = false;

/** Hands on what happened; "back" says that the line is up, also at the first opening: something may have been saved while the page was on its way. */
function hear({ kind, data }: Told) {
  for (const listener of listeners[kind as keyof Announced] ?? []) (listener as (data: unknown) => void)(data);
}

function open() {
  if (opened) return;
  opened = true;
  const alone = () => openStream(hear, () => hear({ kind: "back", data: null }));
  if (typeof SharedWorker === "undefined") return alone();
  try {
    const worker = new SharedWorker(new URL("./streamWorker.ts", import.meta.url), { type: "module", name: "events" });
    worker.onerror = alone;
    worker.port.onmessage = (event: MessageEvent<Told>) => hear(event.data);
    addEventListener("pagehide", () => worker.port.postMessage("gone"));
    // A page that comes back from the browser's memory of pages takes up a line of its own.
    addEventListener("pageshow", (event) => event.persisted && alone());
  } catch {
    alone();
  }
}

export function useAnnounced<K extends keyof Announced>(kind: K, listener: Listener<K>) {
  useEffect(() => {
    open();
    const set = listeners[kind] as Set<Listener<K>>;
    set.add(listener);
    return () => {
      set.delete(listener);
    };
  }, [kind, listener]);
}
