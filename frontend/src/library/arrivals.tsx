/** Files on their way in: several at once, each with its progress, each telling its own trouble. */
import { X } from "lucide-react";
import { useQueryClient } from "@tanstack/react-query";
import { useCallback } from "react";
import { create } from "zustand";
import { Problem, upload } from "../api/client";
import { go } from "../app/router";
import { tell } from "../ui/notices";

export interface Arrival {
  id: number;
  name: string;
  share: number;
  problem: Problem | null;
}

const useStore = create<{ list: Arrival[] }>(() => ({ list: [] }));
let next = 1;

const update = (id: number, changes: Partial<Arrival>) => useStore.setState(({ list }) => ({ list: list.map((a) => (a.id === id ? { ...a, ...changes } : a)) }));
const drop = (id: number) => useStore.setState(({ list }) => ({ list: list.filter((a) => a.id !== id) }));

export function useArrivals() {
  const queries = useQueryClient();
  const bring = useCallback(
    async (files: File[]) => {
      let last: string | null = null;
      let count = 0;
      for (const file of files) {
        const id = next++;
        useStore.setState(({ list }) => ({ list: [...list, { id, name: file.name, share: 0, problem: null }] }));
        try {
          const material = await upload(file, (share) => update(id, { share }));
          last = material.id;
          count += 1;
          drop(id);
        } catch (error) {
          update(id, { problem: error instanceof Problem ? error : new Problem(0, `${file.name} could not be read.`, "") });
        }
        await queries.invalidateQueries({ queryKey: ["materials"] });
      }
      // One capture is meant to be worked on; many are looked over first.
      if (last && files.length === 1) go(last);
      else if (count) tell(`${count} captures were added`);
    },
    [queries],
  );
  return { bring };
}

export function Arrivals() {
  const { list } = useStore();
  if (!list.length) return null;
  return (
    <ul aria-label="Captures on their way" className="fixed right-5 bottom-5 z-30 flex w-96 flex-col gap-2">
      {list.map((arrival) => (
        <li key={arrival.id} role={arrival.problem ? "alert" : undefined} className="rounded-card border border-line bg-lifted px-3 py-2 shadow-lg shadow-black/40">
          {arrival.problem ? (
            <div className="flex items-start gap-2">
              <span aria-hidden className="font-bold">!</span>
              <div className="min-w-0 flex-1">
                <p className="font-medium break-words">{arrival.problem.message}</p>
                <p className="text-soft">{arrival.problem.detail}</p>
              </div>
              <button type="button" aria-label="Close" onClick={() => drop(arrival.id)} className="text-soft hover:text-text">
                <X size={14} />
              </button>
            </div>
          ) : (
            <>
              <p className="truncate">{arrival.share < 1 ? `Bringing in ${arrival.name}` : `Reading ${arrival.name}`}</p>
              <div className="mt-1.5 h-[3px] overflow-hidden rounded-full bg-line">
                <div className="h-full bg-amber" style={{ width: `${arrival.share * 100}%` }} />
              </div>
            </>
          )}
        </li>
      ))}
    </ul>
  );
}
