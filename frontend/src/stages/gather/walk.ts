/** The walk-by of the open material: looking for where the camera was held, and what was found. */
import { create } from "zustand";
import { api, Problem } from "../../api/client";
import type { Said } from "../../api/types";
import { busy } from "../../editor/busy";
import { settled, useEditor } from "../../editor/store";
import { tellProblem } from "../../ui/notices";

/** The status of an answer that was called off. */
const STOPPED = 499;

export const useWalk = create<{ looking: boolean; found: { id: string; told: readonly Said[] } | null }>(() => ({
  looking: false,
  found: null,
}));

/** Lets the program find the camera's places, and sets what it found. */
export async function findWalk(id?: string, revision?: number) {
  const known = id === undefined ? await settled() : { id, revision: revision ?? 0 };
  if (!known) return;
  useWalk.setState({ looking: true });
  const done = busy("walk");
  try {
    const { material, told } = await api.findWalk(known.id, known.revision);
    if (useEditor.getState().material?.id === material.id) useEditor.setState({ material });
    useWalk.setState({ found: { id: material.id, told } });
  } catch (error) {
    if (!(error instanceof Problem && error.status === STOPPED)) tellProblem(error, "The height was not found");
  } finally {
    useWalk.setState({ looking: false });
    done();
  }
}
