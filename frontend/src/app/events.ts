/** What the service announces: changed materials, the library, jobs. */
import { useEffect } from "react";
import type { Job } from "../api/types";

interface Announced {
  material: { id: string; revision: number };
  library: { id: string };
  job: Job;
  /** How far a long decision is. */
  working: { id: string; share: number; what: string };
  /** The line is up, for the first time or again: anything may have been missed. */
  back: null;
}

type Listener<K extends keyof Announced> = (data: Announced[K]) => void;

const listeners: { [K in keyof Announced]: Set<Listener<K>> } = {
  material: new Set(),
  library: new Set(),
  job: new Set(),
  working: new Set(),
  back: new Set(),
};
let line: EventSource | null = null;

function open() {
  if (line) return;
  line = new EventSource("/api/events");
  for (const kind of ["material", "library", "job", "working"] as const) {
    line.addEventListener(kind, (event) => {
      const data: unknown = JSON.parse((event as MessageEvent<string>).data);
      for (const listener of listeners[kind]) (listener as (data: unknown) => void)(data);
    });
  }
  // Also at the first opening: something may have been saved while the page was on its way.
  line.onopen = () => {
    for (const listener of listeners.back) listener(null);
  };
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
