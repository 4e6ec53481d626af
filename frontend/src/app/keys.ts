/** Everything that has a key, as data: the page of keys and the listener read the same list. */
import { useEffect } from "react";
import { create } from "zustand";
import type { StageId } from "../api/types";
import { step } from "../editor/store";
import { takeBrush, TOOL_NAMES, useBrush } from "../stages/tile/brush";
import type { Tool } from "../stages/tile/strokes";
import { toggleGuide, useGuide } from "../guide/state";
import { layDownTool } from "../stages/tools";
import { isNarrow } from "../ui/useNarrow";
import { STAGE_NAMES } from "../views/names";
import { fold, openStage, setView, useViews } from "../views/state";
import { go } from "./router";
import { useTheme } from "./theme";

export interface Action {
  id: string;
  label: string;
  keys: string;
  group: "Stages" | "Views" | "Work";
  run: () => void;
}

export const useKeysPage = create<{ open: boolean }>(() => ({ open: false }));

const show = (how: "single" | "repeated" | "shifted") => () => {
  const { active, stage, setups } = useViews.getState();
  const side = setups[stage][active].what === "lit" ? (active === "first" ? "second" : "first") : active;
  setView(side, { how });
};

const stages = (Object.keys(STAGE_NAMES) as StageId[]).map((stage, number): Action => ({
  id: `stage.${stage}`,
  label: STAGE_NAMES[stage],
  keys: String(number + 1),
  group: "Stages",
  run: () => openStage(stage),
}));

const BRUSH_KEYS: Record<Tool, string> = {
  excluded: "o",
  kept: "k",
  one_piece: "u",
  split_piece: "y",
  clone: "c",
  heal: "e",
  fill: "p",
};
const brush = (tool: Tool) => {
  if (useViews.getState().stage === "tile") takeBrush(useBrush.getState().tool === tool ? null : tool);
};

export const ACTIONS: Action[] = [
  ...stages,
  { id: "view.single", label: "Single tile", keys: "s", group: "Views", run: show("single") },
  { id: "view.repeated", label: "Repeated", keys: "r", group: "Views", run: show("repeated") },
  { id: "view.shifted", label: "Shifted by half", keys: "h", group: "Views", run: show("shifted") },
  {
    id: "view.lit",
    label: "Lit, in the second view",
    keys: "l",
    group: "Views",
    run: () => setView("second", { what: "lit" }),
  },
  { id: "view.fit", label: "Fit the whole", keys: "f", group: "Views", run: () => useViews.setState({ look: null }) },
  {
    id: "view.alone",
    label: "One view or two",
    keys: "v",
    group: "Views",
    run: () =>
      useViews.setState(({ arrangement, active }) => ({
        arrangement: arrangement === "first" || arrangement === "second" ? "beside" : active,
      })),
  },
  {
    id: "view.whole",
    label: "One view in the whole window",
    keys: "w",
    group: "Views",
    run: () => useViews.setState(({ whole }) => ({ whole: !whole })),
  },
  {
    id: "view.stack",
    label: "Beside or stacked",
    keys: "b",
    group: "Views",
    run: () =>
      useViews.setState(({ arrangement }) => ({ arrangement: arrangement === "stacked" ? "beside" : "stacked" })),
  },
  { id: "view.stages", label: "Fold the stages", keys: ",", group: "Views", run: () => fold("stages") },
  {
    id: "view.settings",
    label: "Fold the settings",
    keys: ".",
    group: "Views",
    run: () => fold(isNarrow() ? "sheet" : "settings"),
  },
  {
    id: "view.histogram",
    label: "Histogram",
    keys: "d",
    group: "Views",
    run: () => useViews.setState(({ histogram }) => ({ histogram: !histogram })),
  },
  { id: "view.input", label: "Hold: what came into this stage", keys: "i", group: "Views", run: () => {} },
  ...(Object.entries(BRUSH_KEYS) as [Tool, string][]).map(([tool, keys]): Action => ({
    id: `brush.${tool}`,
    label: `${TOOL_NAMES[tool]}, in Tile`,
    keys,
    group: "Work",
    run: () => brush(tool),
  })),
  { id: "work.undo", label: "Undo", keys: "Ctrl Z", group: "Work", run: () => void step("undo") },
  { id: "work.redo", label: "Redo", keys: "Ctrl Shift Z", group: "Work", run: () => void step("redo") },
  { id: "work.library", label: "Back to the library", keys: "g", group: "Work", run: () => go(null) },
  { id: "work.theme", label: "Day or dusk", keys: "t", group: "Work", run: () => useTheme.getState().swap() },
  {
    id: "work.why",
    label: "Guide to this stage",
    keys: "a",
    group: "Work",
    run: () => toggleGuide(useViews.getState().stage),
  },
  { id: "work.keys", label: "This page", keys: "?", group: "Work", run: () => useKeysPage.setState({ open: true }) },
];

/** Whether typing goes into a field just now. */
function typing(event: KeyboardEvent): boolean {
  const target = event.target;
  return (
    target instanceof HTMLElement && (target.isContentEditable || /^(INPUT|TEXTAREA|SELECT)$/.test(target.tagName))
  );
}

/** The key of an event in the words of the list. */
export function spelled(event: Pick<KeyboardEvent, "key" | "ctrlKey" | "metaKey" | "shiftKey" | "altKey">): string {
  if (event.ctrlKey || event.metaKey) return `Ctrl ${event.shiftKey ? "Shift " : ""}${event.key.toUpperCase()}`;
  return event.altKey ? "" : event.key.length === 1 ? event.key.toLowerCase() : event.key;
}

export function useKeys() {
  useEffect(() => {
    const down = (event: KeyboardEvent) => {
      if (document.querySelector("[role=dialog],[role=listbox]")) return;
      const key = spelled(event);
      // A tool ends wherever the caret is; a field takes its own Escape as well.
      if (key === "Escape" && layDownTool()) return;
      if (typing(event)) return;
      if (key === "i") useViews.setState({ input: true });
      if (key === "Escape" && useGuide.getState().page) useGuide.setState({ page: null });
      if (key === "Escape" && useViews.getState().whole) useViews.setState({ whole: false });
      const action =
        ACTIONS.find((a) => a.keys === key) ??
        (key === "Ctrl Y" ? ACTIONS.find((a) => a.id === "work.redo") : undefined);
      if (!action || event.repeat) return;
      event.preventDefault();
      action.run();
    };
    const up = (event: KeyboardEvent) => {
      if (event.key.toLowerCase() === "i") useViews.setState({ input: false });
    };
    const blur = () => useViews.setState({ input: false });
    addEventListener("keydown", down);
    addEventListener("keyup", up);
    addEventListener("blur", blur);
    return () => {
      removeEventListener("keydown", down);
      removeEventListener("keyup", up);
      removeEventListener("blur", blur);
    };
  }, []);
}
