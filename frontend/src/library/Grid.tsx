/** All cards that are looked for, however many: only those in sight are there, parts of them come as they are scrolled to. */
import { keepPreviousData, useQueries, useQueryClient } from "@tanstack/react-query";
import { useVirtualizer } from "@tanstack/react-virtual";
import { useEffect, useLayoutEffect, useRef, useState } from "react";
import { api } from "../api/client";
import type { Card } from "../api/types";
import { go } from "../app/router";
import { tellProblem } from "../ui/notices";
import { CardView } from "./CardView";
import { chooseOnly, chooseRange, toggle, useChosen } from "./chosen";

const PART = 120;
const GAP = 20;
const LEAST = 200;
/** Height of what is written under a card's picture. */
const WRITTEN = 66;
const AHEAD = 2;

interface Props {
  query: string;
  total: number;
  onChanged: () => void;
}

/** Cards by their number; undefined where they are still on their way. */
function useParts(query: string, numbers: number[]) {
  const parts = [...new Set(numbers)].sort((a, b) => a - b);
  const answers = useQueries({
    queries: parts.map((part) => ({
      queryKey: ["library", query, part],
      queryFn: ({ signal }: { signal: AbortSignal }) => api.library(query, part * PART, PART, signal),
      placeholderData: keepPreviousData,
      staleTime: 60_000,
    })),
  });
  const found = new Map(parts.map((part, number) => [part, answers[number]?.data?.cards]));
  return (number: number): Card | undefined => found.get(Math.floor(number / PART))?.[number % PART];
}

export function Grid({ query, total, onChanged }: Props) {
  const scroller = useRef<HTMLDivElement>(null);
  const [width, setWidth] = useState(0);
  const [at, setAt] = useState(0);
  const focusOn = useRef<number | null>(null);
  const [band, setBand] = useState<Band | null>(null);
  useLayoutEffect(() => {
    const box = scroller.current!;
    const watch = new ResizeObserver(() => setWidth(box.clientWidth - 48));
    watch.observe(box);
    setWidth(box.clientWidth - 48);
    return () => watch.disconnect();
  }, []);
  const columns = Math.max(1, Math.floor((width + GAP) / (LEAST + GAP)));
  const side = Math.max(80, (width - GAP * (columns - 1)) / columns);
  const height = side + WRITTEN + GAP;
  const rows = Math.ceil(total / columns);
  const seen = useVirtualizer({
    count: rows,
    getScrollElement: () => scroller.current,
    estimateSize: () => height,
    overscan: 3,
    paddingStart: 24,
    paddingEnd: 24,
  });
  useEffect(() => seen.measure(), [seen, height]);
  // Something else is looked for: from its beginning.
  useEffect(() => {
    setAt(0);
    seen.scrollToOffset(0);
    useChosen.setState({ from: null });
  }, [seen, query]);
  const shown = seen.getVirtualItems();
  const first = (shown[0]?.index ?? 0) * columns;
  const last = Math.min(total, ((shown.at(-1)?.index ?? 0) + 1 + AHEAD) * columns) - 1;
  const parts = [];
  for (let part = Math.floor(first / PART); part <= Math.floor(Math.max(last, 0) / PART); part += 1) parts.push(part);
  const cardAt = useParts(query, parts);
  const ids = useIds(query);
  const chosen = useChosen((state) => state.ids);

  /** Moves to a card, which gets the focus once it is there. */
  const move = (number: number, extend: boolean) => {
    const next = Math.max(0, Math.min(total - 1, number));
    setAt(next);
    seen.scrollToIndex(Math.floor(next / columns));
    if (extend) void ids().then((all) => chooseRange(all, next));
    focusOn.current = next;
  };
  // A card that is gone to may be on its way still.
  useEffect(() => {
    const link =
      focusOn.current === null
        ? null
        : scroller.current?.querySelector<HTMLElement>(`[data-number="${focusOn.current}"] a`);
    if (!link) return;
    focusOn.current = null;
    link.focus();
  });
  // Menus and dialogs of cards lie elsewhere in the page, but their events come by here.
  const isHere = (event: React.SyntheticEvent) => scroller.current!.contains(event.target as Node);
  const onKeys = (event: React.KeyboardEvent) => {
    if (event.target instanceof HTMLInputElement || !isHere(event)) return;
    const by = { ArrowRight: 1, ArrowLeft: -1, ArrowDown: columns, ArrowUp: -columns }[event.key];
    if (by !== undefined) move(at + by, event.shiftKey);
    else if (event.key === "Home") move(0, event.shiftKey);
    else if (event.key === "End") move(total - 1, event.shiftKey);
    else if (event.key === "a" && (event.ctrlKey || event.metaKey)) void ids().then(chooseOnly);
    else if (event.key === "Escape" && chosen) useChosen.setState({ ids: null });
    else if (event.key === " " && event.target instanceof HTMLAnchorElement) {
      const card = cardAt(at);
      if (card) toggle(card.id, at);
    } else return;
    event.preventDefault();
  };

  const place = (event: React.PointerEvent) => {
    const box = scroller.current!.getBoundingClientRect();
    return { x: event.clientX - box.left - 24, y: event.clientY - box.top + scroller.current!.scrollTop };
  };
  /** Numbers of the cards a band lies over, whether they are in sight or not. */
  const under = ({ from, to }: Band) => {
    const inside: number[] = [];
    const [left, right] = [Math.min(from.x, to.x), Math.max(from.x, to.x)];
    const [top, bottom] = [Math.min(from.y, to.y) - 24, Math.max(from.y, to.y) - 24];
    for (let row = Math.max(0, Math.floor(top / height)); row < rows && row * height <= bottom; row += 1) {
      if (row * height + side + WRITTEN < top) continue;
      for (let column = 0; column < columns; column += 1) {
        const x = column * (side + GAP);
        const number = row * columns + column;
        if (number < total && x <= right && x + side >= left) inside.push(number);
      }
    }
    return inside;
  };
  return (
    <div
      ref={scroller}
      className="relative min-h-0 flex-1 overflow-y-auto px-6 select-none"
      onKeyDown={onKeys}
      onPointerDown={(event) => {
        // A band begins between cards, so that cards stay what one clicks.
        if (event.button !== 0 || !isHere(event) || (event.target as HTMLElement).closest("[data-number]")) return;
        if (event.nativeEvent.offsetX > scroller.current!.clientWidth) return;
        const from = place(event);
        setBand({ from, to: from, also: event.ctrlKey || event.metaKey || event.shiftKey ? (chosen ?? []) : [] });
        scroller.current!.setPointerCapture(event.pointerId);
        void ids().catch(tellProblem);
      }}
      onPointerMove={(event) => {
        if (!band) return;
        const next = { ...band, to: place(event) };
        setBand(next);
        const inside = under(next);
        void ids().then((all) => chooseOnly([...band.also, ...inside.flatMap((number) => all[number] ?? [])]));
      }}
      onPointerUp={() => {
        if (band && band.from.x === band.to.x && band.from.y === band.to.y && !band.also.length && chosen?.length)
          useChosen.setState({ ids: null });
        setBand(null);
      }}
      onPointerCancel={() => setBand(null)}
    >
      <ul aria-label="Materials" className="relative" style={{ height: seen.getTotalSize() }}>
        {shown.map((row) =>
          Array.from({ length: Math.min(columns, total - row.index * columns) }, (_, column) => {
            const number = row.index * columns + column;
            const card = cardAt(number);
            return (
              <li
                key={card?.id ?? `n${number}`}
                data-number={number}
                className="absolute"
                style={{ left: column * (side + GAP), top: row.start, width: side, height: side + WRITTEN }}
                onFocus={() => setAt(number)}
              >
                {card ? (
                  <CardView
                    card={card}
                    reached={number === at}
                    onOpen={() => go(card.id)}
                    onToggle={(extend) =>
                      extend ? void ids().then((all) => chooseRange(all, number)) : toggle(card.id, number)
                    }
                    onChanged={onChanged}
                  />
                ) : (
                  <div className="size-full rounded-[10px] border border-line bg-raised" aria-hidden />
                )}
              </li>
            );
          }),
        )}
      </ul>
      {band && (
        <div
          aria-hidden
          className="pointer-events-none absolute border border-amber bg-amber/15"
          style={{
            left: Math.min(band.from.x, band.to.x) + 24,
            top: Math.min(band.from.y, band.to.y),
            width: Math.abs(band.to.x - band.from.x),
            height: Math.abs(band.to.y - band.from.y),
          }}
        />
      )}
    </div>
  );
}

interface Band {
  from: { x: number; y: number };
  to: { x: number; y: number };
  /** Chosen before, and still. */
  also: string[];
}

/** All ids that are looked for, asked for once they are needed, and again when the library changed. */
function useIds(query: string) {
  const queries = useQueryClient();
  return () =>
    queries.fetchQuery({
      queryKey: ["library", query, "ids"],
      queryFn: async () => (await api.cardIds(query)).ids,
      staleTime: 60_000,
    });
}
