/** Seam, drift and what the operations found out, for the newest state; the older ones stay meanwhile. */
import { keepPreviousData, useQuery } from "@tanstack/react-query";
import { api } from "../api/client";
import type { Figures, Finding, Material } from "../api/types";
import { busy } from "./busy";

async function counted<T>(what: string, work: () => Promise<T>): Promise<T> {
  const done = busy(what);
  try {
    return await work();
  } finally {
    done();
  }
}

export function useFigures(material: Material): Figures | undefined {
  const query = useQuery({
    queryKey: ["figures", material.id, material.keys.base_color, material.keys.height],
    queryFn: ({ signal }) => counted("figures", () => api.figures(material.id, signal)),
    placeholderData: keepPreviousData,
    staleTime: Infinity,
    retry: 1,
  });
  return query.data;
}

/** Findings of all rules; `fresh` is false while newer ones are on their way. */
export function useFindings(material: Material): { findings: Finding[] | undefined; fresh: boolean } {
  const query = useQuery({
    queryKey: ["checks", material.id, material.revision],
    queryFn: ({ signal }) => counted("checks", () => api.checks(material.id, signal)),
    placeholderData: keepPreviousData,
    staleTime: Infinity,
    retry: 1,
  });
  return { findings: query.data?.findings, fresh: query.data?.revision === material.revision };
}
