/** A second photograph: laid on the one that is worked on, or joined to it; by what the program finds, or by marked places. */
import { create } from "zustand";
import { api } from "../../api/client";
import type { RegisteredFile } from "../../api/types";
import type { MaterialFile, Operations } from "../../api/types";
import { settled, useEditor } from "../../editor/store";
import { tell, tellProblem } from "../../ui/notices";

export type Way = "lay" | "join" | "free";
export type Pair = [number, number, number, number];

/** The file whose places are being marked. */
export const usePlacing = create<{ marking: MaterialFile | null; busy: string | null }>(() => ({
  marking: null,
  busy: null,
}));

export async function place(file: string, way: Way, pairs: Pair[] = []) {
  const material = await settled();
  if (!material) return;
  usePlacing.setState({ busy: file });
  try {
    const { material: newest, told } = await api.place(material.id, file, material.revision, way, pairs);
    if (useEditor.getState().material?.id === newest.id) useEditor.setState({ material: newest });
    usePlacing.setState({ marking: null });
    tell(
      way === "free"
        ? "It lies as it was photographed."
        : way === "lay"
          ? "Laid on the photograph."
          : "Joined to the photograph.",
      way === "free" ? "" : told,
    );
  } catch (error) {
    tellProblem(error);
  } finally {
    usePlacing.setState({ busy: null });
  }
}

/** How a file lies now. */
export function wayOf(operations: Operations, file: string): Way {
  const { files = [], joined = [] } = (operations["gather.registration"] ?? {}) as {
    files?: RegisteredFile[];
    joined?: RegisteredFile[];
  };
  if (joined.some((row) => row.file === file)) return "join";
  return files.some((row) => row.file === file) ? "lay" : "free";
}
