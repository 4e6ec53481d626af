import { useQuery } from "@tanstack/react-query";
import { api } from "../api/client";

/** How many materials there are of each state, kind, tag and collection. */
export const useFacets = (archived = false) =>
  useQuery({ queryKey: ["library", "facets", archived], queryFn: () => api.facets(archived), staleTime: 30_000 }).data;
