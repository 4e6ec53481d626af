/** Seam, drift and what the operations found out, for the newest state; the older ones stay meanwhile. */
import { useEditor } from "./store";
import { keepPreviousData, useQuery } from "@tanstack/react-query";
import { useEffect, useState } from "react";
import { api, calledOff } from "../api/client";
import type {
  Compared,
  Figures,
  Finding,
  HistogramTold,
  LayerId,
  Material,
  NextSteps,
  Places,
  SourceFinding,
  TilingSuggestion,
} from "../api/types";
import { busy, whenRested } from "./busy";

/** The value once it has rested for a moment: the picture comes first, the cards, then figures follow, rules last. */
export function useRested<T>(value: T, last = false): T {
  const [rested, setRested] = useState(value);
  useEffect(() => {
    return whenRested(() => setRested(value), last ? 150 : 120, last ? ["cards", "figures"] : ["cards"]);
  }, [value, last]);
  return rested;
}

/** Asks for something that belongs to a key, once the key has rested; the older answer stays meanwhile. */
function useMeasured<T>(
  what: string,
  material: Material,
  key: string | number,
  ask: (id: string, signal: AbortSignal) => Promise<T>,
  enabled = true,
): T | undefined {
  const rested = useRested(key, what === "checks");
  const query = useQuery({
    queryKey: [what, material.id, rested],
    queryFn: async ({ signal }) => {
      const done = busy(what);
      try {
        return await ask(material.id, signal);
      } finally {
        done();
      }
    },
    enabled,
    placeholderData: keepPreviousData,
    staleTime: Infinity,
    retry: (count, error) => count < (calledOff(error) ? 20 : 1),
    retryDelay: 300,
  });
  return query.data;
}

export function useFigures(material: Material): Figures | undefined {
  return useMeasured(
    "figures",
    material,
    `${material.keys.base_color}/${material.keys.height}/${Object.values(material.zones).join("")}`,
    api.figures,
  );
}

/** How far two layers lie apart. */
export function useCompared(
  material: Material,
  one: LayerId,
  other: LayerId,
  then: number | null,
): Compared | undefined {
  return useMeasured("compared", material, `${material.keys[one]}/${then ?? material.keys[other]}`, (id, signal) =>
    then === null ? api.compare(id, one, other, signal) : api.compareWith(id, one, then, signal),
  );
}

/** How the values of a layer are spread. */
export function useHistogram(material: Material, layer: LayerId): HistogramTold | undefined {
  return useMeasured("histogram", material, `${layer}/${material.keys[layer]}`, (id, signal) =>
    api.histogram(id, layer, signal),
  );
}

/** How the sample is best made to tile. */
export function useTiling(material: Material): TilingSuggestion | undefined {
  return useMeasured("repeats", material, `${material.keys.squared}/${material.keys.base_color}`, api.tiling);
}

/** What gives the repeat away, and what is filled. */
export function usePlaces(material: Material): Places | undefined {
  return useMeasured("places", material, material.keys.base_color, api.places);
}

/** Findings of all rules; `fresh` is false from the moment something changes until newer ones are there. */
export function useFindings(material: Material): { findings: Finding[] | undefined; fresh: boolean } {
  const told = useMeasured("checks", material, material.revision, api.checks);
  const changing = useEditor((state) => state.saving || Object.keys(state.pending).length > 0);
  return { findings: told?.findings, fresh: !changing && told?.revision === material.revision };
}

/** What was seen on the capture; undefined while it is looked at for the first time. */
export function useTriage(material: Material): SourceFinding[] | undefined {
  const { findings, key } = material.source;
  const told = useMeasured("triage", material, `${key}/${material.keys.gathered}`, api.triage, findings === null);
  return findings ?? told?.findings;
}

/** What the material needs, once Check has looked. packs: how many there are. */
export function useNext(material: Material, packs: number): NextSteps | undefined {
  const { findings, fresh } = useFindings(material);
  const query = useQuery({
    queryKey: ["next", material.id, material.revision, packs],
    queryFn: ({ signal }) => api.next(material.id, signal),
    enabled: fresh && findings !== undefined,
    placeholderData: keepPreviousData,
    staleTime: Infinity,
    retry: (count, error) => count < (calledOff(error) ? 20 : 1),
    retryDelay: 300,
  });
  return query.data;
}
