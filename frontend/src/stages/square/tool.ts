/** What the pointer does on the photograph in Square, and what is drawn there until it is accepted. */
import { create } from "zustand";
import { api } from "../../api/client";
import type { Proposal, SettingPath } from "../../api/types";
import { type Changes, change } from "../../editor/store";
import { tell, tellProblem } from "../../ui/notices";
import type { Point } from "../../views/capture";

export type Tool = "crop" | "corners" | "level" | "bend";
export const CORNERS = ["upper_left", "upper_right", "lower_right", "lower_left"] as const;

interface SquareTool {
  tool: Tool;
  proposal: Proposal | null;
  looking: boolean;
  /** Points along a straight thing, 0..1 of the capture; the last line is the open one. */
  lines: Point[][];
}

export const useTool = create<SquareTool>(() => ({ tool: "crop", proposal: null, looking: false, lines: [[]] }));
const set = useTool.setState;

export const cornerPath = (corner: (typeof CORNERS)[number], axis: "x" | "y") =>
  `square.flat.${corner}_${axis}` as SettingPath;

export function chooseTool(tool: Tool) {
  set({ tool, lines: [[]] });
}

export async function lookForCorners(id: string) {
  set({ looking: true, proposal: null });
  try {
    set({ proposal: await api.proposal(id), tool: "corners" });
  } catch (error) {
    tellProblem(error);
  } finally {
    set({ looking: false });
  }
}

export function acceptProposal() {
  const { proposal } = useTool.getState();
  if (!proposal) return;
  const changes: Changes = {};
  proposal.corners.forEach(([x, y], i) => {
    changes[cornerPath(CORNERS[i]!, "x")] = x;
    changes[cornerPath(CORNERS[i]!, "y")] = y;
  });
  change(
    { ...changes, "square.flat.turn": null, "square.lens.k1": proposal.k1 || null },
    "Flatten by the found corners",
  );
  set({ proposal: null });
}

export async function solveBend(id: string) {
  const lines = useTool.getState().lines.filter((line) => line.length >= 3);
  try {
    const found = await api.bend(id, lines);
    change(found as Changes, "Bend of the lens");
    set({ lines: [[]] });
    tell("The marked lines are straight now");
  } catch (error) {
    tellProblem(error);
  }
}
