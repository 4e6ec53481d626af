/** One line to the service: a stream of events, or, where none is to be had, asking from time to time. */

import type { EventsSince } from "../api/types";

export interface Told {
  kind: string;
  data: unknown;
}

export const KINDS = ["material", "library", "job", "working", "scan"] as const;
const ASK_EVERY = 4000;
/** How long it is asked before the stream is tried again. */
const TRY_AGAIN = 60_000;
/** Times a stream may break off in a row, without a word in between, before it is given up. */
const PATIENCE = 4;

/** Opens the line for good. tell: what happened. back: the line is up, for the first time or again, and anything may have been missed. */
export function openStream(tell: (told: Told) => void, back: () => void) {
  let broken = 0;
  const stream = () => {
    const line = new EventSource("/api/events");
    line.onopen = () => {
      broken = 0;
      back();
    };
    line.addEventListener("missed", back);
    for (const kind of KINDS)
      line.addEventListener(kind, (event) =>
        tell({ kind, data: JSON.parse((event as MessageEvent<string>).data) as unknown }),
      );
    line.onerror = () => {
      broken += 1;
      tell({ kind: "away", data: null });
      // Refused, because too many pages are open, or broken off again and again on its way here.
      if (line.readyState === EventSource.CLOSED || broken > PATIENCE) {
        line.close();
        ask("", Date.now() + TRY_AGAIN);
      }
    };
  };
  const ask = (mark: string, until: number) => {
    const again = (next: string) => setTimeout(() => (Date.now() < until ? ask(next, until) : stream()), ASK_EVERY);
    fetch(`/api/events/since?mark=${encodeURIComponent(mark)}`)
      .then(async (answer) => {
        if (!answer.ok) throw new Error(String(answer.status));
        const since = (await answer.json()) as EventsSince;
        if (since.missed) back();
        since.events.forEach(tell);
        again(since.mark);
      })
      // Not there at all: nothing is known any more, so the next answer counts as the line being up again.
      .catch(() => {
        tell({ kind: "away", data: null });
        again("");
      });
  };
  stream();
}
