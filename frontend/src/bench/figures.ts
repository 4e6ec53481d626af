/** Seam, drift and what the operations found out, for the newest state; the older ones stay meanwhile. */
import { keepPreviousData, useQuery } from "@tanstack/react-query";
import { useEffect, useState } from "react";
import { api } from "../api/client";
import type { Figures, Finding, Material } from "../api/types";
import { busy, whenRested } from "./busy";

/** The value once it has rested for a moment: the picture comes first, figures follow. */
export function useRested<T>(value: T): T {
  const [rested, setRested] = useState(value);
  useEffect(() => {
    return whenRested(() => setRested(value));
  }, [value]);
  return rested;
}

async function counted<T>(what: string, work: () => Promise<T>): Promise<T> {
  const done = busy(what);
  try {
    return await work();
  } finally {
    done();
  }
}

export function useFigures(material: Material): Figures | undefined {
  const key = useRested(`${material.keys.base_color}/${material.keys.height}`);
  const query = useQuery({
    queryKey: ["figures", material.id, key],
    queryFn: ({ signal }) => counted("figures", () => api.figures(material.id, signal)),
    placeholderData: keepPreviousData,
    staleTime: Infinity,
    retry: 1,
  });
  return query.data;
}

/** Findings of all rules; `fresh` is false while newer ones are on their way. */
export function useFindings(material: Material): { findings: Finding[] | undefined; fresh: boolean } {
  const revision = useRested(material.revision);
  const query = useQuery({
    queryKey: ["checks", material.id, revision],
    queryFn: ({ signal }) => counted("checks", () => api.checks(material.id, signal)),
    placeholderData: keepPreviousData,
    staleTime: Infinity,
    retry: 1,
  });
  return { findings: query.data?.findings, fresh: query.data?.revision === material.revision };
}
