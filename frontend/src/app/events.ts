/** What the service announces: changed materials, the library, jobs. */
import { useEffect } from "react";
import type { Job } from "../api/types";

interface Announced {
  material: { id: string; revision: number };
  library: { id: string };
  job: Job;
  /** The line is up again after a break: anything may have been missed. */
  back: null;
}

type Listener<K extends keyof Announced> = (data: Announced[K]) => void;

const listeners: { [K in keyof Announced]: Set<Listener<K>> } = {
  material: new Set(),
  library: new Set(),
  job: new Set(),
  back: new Set(),
};
let line: EventSource | null = null;
let broken = false;

function open() {
  if (line) return;
  line = new EventSource("/api/events");
  for (const kind of ["material", "library", "job"] as const) {
    line.addEventListener(kind, (event) => {
      const data: unknown = JSON.parse((event as MessageEvent<string>).data);
      for (const listener of listeners[kind]) (listener as (data: unknown) => void)(data);
    });
  }
  line.onerror = () => {
    broken = true;
  };
  line.onopen = () => {
    if (broken) for (const listener of listeners.back) listener(null);
    broken = false;
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
