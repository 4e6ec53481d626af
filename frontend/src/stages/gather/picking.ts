/** Picking a neutral patch on the photograph. */
import { create } from "zustand";
import { api } from "../../api/client";
import { type Changes, change, settled } from "../../editor/store";
import { tellProblem } from "../../ui/notices";
import { registerTool } from "../tools";

export const usePicking = create<{ picking: boolean }>(() => ({ picking: false }));
registerTool("neutral patch", usePicking, ({ picking }) => picking, { picking: false });

export async function makeNeutral(id: string, at: [number, number]) {
  try {
    await settled();
    change((await api.neutral(id, at)) as Changes, "Neutral patch");
    usePicking.setState({ picking: false });
  } catch (error) {
    tellProblem(error);
  }
}
