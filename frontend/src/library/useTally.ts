import { useQuery } from "@tanstack/react-query";
import { api } from "../api/client";

/** How many materials there are of each state, kind, tag and collection. */
export const useTally = (archived = false) =>
  useQuery({ queryKey: ["library", "tally", archived], queryFn: () => api.tally(archived), staleTime: 30_000 }).data;
