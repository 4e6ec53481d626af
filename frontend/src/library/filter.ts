/** What is looked for in the library, and what its cards say in words. */
import { create } from "zustand";
import type { Card, CaptureKind, State } from "../api/types";
import { localeTag } from "../words/language";

export type Order = "newest" | "oldest" | "changed" | "name" | "size" | "state";

export interface LibraryFilter {
  words: string;
  state: State | "";
  kind: CaptureKind | "";
  tags: string[];
  collection: string;
  size: keyof typeof SIZES | "";
  order: Order;
  archived: boolean;
}

export const NO_FILTER: LibraryFilter = {
  words: "",
  state: "",
  kind: "",
  tags: [],
  collection: "",
  size: "",
  order: "newest",
  archived: false,
};

export const useLibraryFilter = create<LibraryFilter>(() => NO_FILTER);

/** From and to, mm of a tile's width. */
export const SIZES = {
  small: { label: "Up to 30 cm", from: 0, to: 300 },
  middle: { label: "30 cm to 1 m", from: 300, to: 1000 },
  large: { label: "1 m to 3 m", from: 1000, to: 3000 },
  huge: { label: "Over 3 m", from: 3000, to: 0 },
} as const;

export const ORDERS: Record<Order, string> = {
  newest: "Newest first",
  oldest: "Oldest first",
  changed: "Last changed first",
  name: "By name",
  size: "By real size",
  state: "What needs a hand first",
};

export const KINDS: Record<CaptureKind, string> = {
  photograph: "Photograph",
  light_set: "Light set",
  two_lights: "Two lights",
  bracket: "Exposure bracket",
  focus: "Focus stack",
  walk_by: "Walk-by",
  scan: "Scan",
  cutout: "Cut-out",
  maps: "Existing maps",
  words: "From words",
};

export const STATES: Record<State, string> = {
  as_shot: "As shot",
  open: "Not checked",
  to_settle: "To settle",
  passed: "Passed",
  packed: "Packed",
};

/** What a filter is as a query. */
export function queryOf({ words, state, kind, tags, collection, size, order, archived }: LibraryFilter): string {
  const query = new URLSearchParams({ order });
  const { from, to } = size ? SIZES[size] : { from: 0, to: 0 };
  for (const [name, value] of Object.entries({
    words: words.trim(),
    state,
    kind,
    tags: tags.join(","),
    collection,
    smallest_mm: from || "",
    largest_mm: to || "",
    archived: archived ? 1 : "",
  }))
    if (value) query.set(name, String(value));
  return query.toString();
}

/** Whether only a part of the library is asked for. */
export const isFiltered = ({ words, state, kind, tags, collection, size }: LibraryFilter) =>
  Boolean(words.trim() || state || kind || tags.length || collection || size);

/** A card's state in words. */
export function stateWords({ state, to_settle, untold }: Pick<Card, "state" | "to_settle" | "untold">): string {
  if (state === "to_settle") return `${to_settle} to settle`;
  // What was packed may need a hand all the same.
  if (state === "packed" && to_settle) return `Packed, ${to_settle} to settle`;
  if (state === "passed") return untold ? `Passed, ${untold} cannot be told` : "Passed";
  return STATES[state];
}

const DAY = 86_400_000;

/** When something was, as short as it can be told: seconds since 1970. */
export function whenWords(seconds: number, now = Date.now()): string {
  const then = new Date(seconds * 1000);
  const today = new Date(now);
  const midnight = new Date(today.getFullYear(), today.getMonth(), today.getDate()).getTime();
  if (then.getTime() >= midnight) return then.toLocaleTimeString(localeTag(), { hour: "2-digit", minute: "2-digit" });
  if (then.getTime() >= midnight - DAY) return "yesterday";
  const year = then.getFullYear() === today.getFullYear() ? undefined : ("numeric" as const);
  return then.toLocaleDateString(localeTag(), { day: "numeric", month: "short", ...(year && { year }) });
}

/** A width as people say it; "" where nobody knows. */
export function widthWords(mm: number): string {
  if (!mm) return "";
  if (mm < 100) return `${Number(mm.toPrecision(2))} mm`;
  return mm < 1000 ? `${Math.round(mm / 10)} cm` : `${Number((mm / 1000).toPrecision(2))} m`;
}
