/** Long work as the service tells of it. */
import { create } from "zustand";
import { useShallow } from "zustand/react/shallow";
import { api } from "../api/client";
import type { GenerateResult, Job, PackResult, StillResult } from "../api/types";
import { settled } from "../editor/store";
import { tellProblem } from "../ui/notices";

export const useJobs = create<{ jobs: Job[] }>(() => ({ jobs: [] }));

export async function loadJobs() {
  useJobs.setState({ jobs: await api.jobs() });
}

/** Takes one job's newest state, newest job first. */
export function takeJob(job: Job) {
  useJobs.setState(({ jobs }) => ({
    jobs: jobs.some((j) => j.id === job.id) ? jobs.map((j) => (j.id === job.id ? job : j)) : [job, ...jobs],
  }));
}

/** Packs the open material as it is once every change is saved. */
export async function startPack() {
  const material = await settled();
  if (!material) return;
  try {
    takeJob(await api.pack(material.id, material.revision));
  } catch (error) {
    tellProblem(error, "Packing did not start");
  }
}

/** What came of a pack. */
export const packed = ({ result }: Job): PackResult | null => (result && "files" in result ? result : null);
/** What came of pictures from words. */
export const generated = ({ result }: Job): GenerateResult | null => (result && "simulation" in result ? result : null);

/** What there is of a still, also while it is being made. */
export const stilled = ({ result }: Job): StillResult | null => (result && "paths" in result ? result : null);

/** The jobs of one material, newest first. */
export function useJobsOf(material: string): Job[] {
  return useJobs(useShallow((state) => state.jobs.filter((job) => job.material === material)));
}
