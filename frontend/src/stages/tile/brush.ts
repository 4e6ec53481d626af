/** What the brush of Tile does, and the strokes there are. */
import { create } from "zustand";
import { useShallow } from "zustand/react/shallow";
import { api } from "../../api/client";
import { change, useEditor, valueOf } from "../../editor/store";
import type { Material } from "../../api/types";
import { tellProblem } from "../../ui/notices";
import { hex } from "../response/zones";
import type { Point } from "../../views/capture";
import { setView, useViews } from "../../views/state";
import { onSample, pathOf, readStrokes, type Stroke, type Tool, touchedBy, writeStrokes } from "./strokes";
import { useMarking } from "./marking";
import { registerTool } from "../tools";

interface Brush {
  tool: Tool | null;
  /** An outline is drawn around an area instead of a stroke. */
  outline: boolean;
  /** Of the brush, in tile widths. */
  radius: number;
  /** Where clone and heal copy from: a place of the tile; null until it is chosen. */
  source: Point | null;
  aiming: boolean;
  /** The stroke that is shown and can be moved. */
  chosen: { tool: Tool; index: number } | null;
}

export const useBrush = create<Brush>(() => ({
  tool: null,
  outline: false,
  radius: 0.03,
  source: null,
  aiming: false,
  chosen: null,
}));
registerTool("brush", useBrush, ({ tool, chosen }) => tool !== null || chosen !== null, {
  tool: null,
  chosen: null,
  aiming: false,
});

/** Whether what is in hand lies on the tile, and not on the sample. */
export const drawsOnTile = ({ tool, chosen }: Brush): boolean => {
  const one = tool ?? chosen?.tool;
  return one !== undefined && one !== null && !onSample(one);
};

/** Whether a click on the tile picks a colour that is left out of the sample. */
export const useLeavingOut = create<{ picking: boolean }>(() => ({ picking: false }));
registerTool("colour left out", useLeavingOut, ({ picking }) => picking, { picking: false });

const COLOURS = "tile.join.excluded_colours";
export const coloursLeftOut = () => valueOf(useEditor.getState(), COLOURS);
export const putColoursLeftOut = (colours: string[], label: string) => change({ [COLOURS]: colours }, label);

/** Leaves the colour at a place of the tile out of the sample. */
export async function pickLeftOut(material: string, [x, y]: Point) {
  try {
    const colour = hex((await api.probe(material, x, y)).own_color);
    putColoursLeftOut([...coloursLeftOut(), colour].slice(-12), "Colour left out");
  } catch (error) {
    tellProblem(error);
  }
}

const SETTINGS = [
  "tile.join.excluded",
  "tile.join.kept",
  "tile.join.one_piece",
  "tile.join.split_piece",
  "tile.retouch.strokes",
] as const;

export const TOOL_NAMES: Record<Tool, string> = {
  excluded: "Leave out",
  kept: "Keep whole",
  one_piece: "One piece",
  split_piece: "Two pieces",
  clone: "Clone",
  heal: "Heal",
  fill: "Fill",
};
export const TOOL_HELP: Record<Tool, string> = {
  excluded: "Draw over what must not be used: no piece is taken from there.",
  kept: "Draw over what must stay whole: no join runs through it.",
  one_piece: "Draw over what was taken for several pieces and is one.",
  split_piece: "Draw along a joint that was missed: a piece the stroke goes through is two.",
  clone: "Copies another place of the tile as it is.",
  heal: "Copies the detail of another place; tone and colour stay those around the stroke.",
  fill: "Covers the stroke with parts of the tile that go on what lies around it.",
};

export const copies = (tool: Tool | null) => tool === "clone" || tool === "heal";

/** Takes a brush in hand, or lays it down. */
export function takeBrush(tool: Tool | null) {
  const { source } = useBrush.getState();
  useBrush.setState({ tool, chosen: null, aiming: copies(tool) && !source });
  if (!tool) return;
  const { what, how } = useViews.getState().setups.tile.first;
  if (tool === "one_piece" || tool === "split_piece") {
    // Beside the outlines it changes.
    useMarking.setState({ joins: true });
    setView("first", { what: "squared", how: "single" });
  } else if (onSample(tool)) {
    if (what !== "evened" && what !== "squared") setView("first", { what: "evened", how: "single" });
  } else if (what !== "base_color" || how === "repeated")
    setView("first", { what: "base_color", how: how === "repeated" ? "single" : how });
}

export function strokesOf(material: Material, tool: Tool): Stroke[] {
  const path = pathOf(tool);
  return readStrokes(path, valueOf(useEditor.getState(), path), material.preview);
}

/** All strokes there are, for a component that shows them: read anew whenever one of their settings changes. */
export function useStrokes(material: Material): (Stroke & { index: number })[] {
  const kept = useEditor(useShallow((state) => SETTINGS.map((path) => valueOf(state, path))));
  return SETTINGS.flatMap((path, i) =>
    readStrokes(path, kept[i]!, material.preview).map((stroke, index) => ({ ...stroke, index })),
  );
}

/** Puts another stroke in the place of one. */
export function putStroke(material: Material, index: number, stroke: Stroke, label: string, gesture = "") {
  const strokes = strokesOf(material, stroke.tool);
  strokes[index] = stroke;
  putStrokes(material, stroke.tool, strokes, label, gesture);
}

/** Puts other strokes in the place of those a tool's setting holds. */
function putStrokes(material: Material, tool: Tool, strokes: Stroke[], label: string, gesture = "") {
  change({ [pathOf(tool)]: writeStrokes(pathOf(tool), strokes, material.preview) }, label, gesture);
}

/** Adds what was just drawn. */
export function addStroke(material: Material, points: Point[], pressure: number[] = []) {
  const { tool, outline, radius, source } = useBrush.getState();
  if (!tool || points.length < (outline ? 3 : 1)) return;
  const from: Point = source && copies(tool) ? [source[0] - points[0]![0], source[1] - points[0]![1]] : [0, 0];
  putStrokes(
    material,
    tool,
    [...strokesOf(material, tool), { tool, radius: outline ? 0 : radius, points, from, pressure }],
    TOOL_NAMES[tool],
  );
}

export function dropStroke(material: Material, tool: Tool, index: number) {
  useBrush.setState({ chosen: null });
  putStrokes(
    material,
    tool,
    strokesOf(material, tool).filter((_, i) => i !== index),
    `${TOOL_NAMES[tool]} taken back`,
  );
}

/** Takes back every stroke of the tool in hand that was drawn over. */
export function eraseStrokes(material: Material, points: Point[], radius: number) {
  const { tool, chosen } = useBrush.getState();
  const one = tool ?? chosen?.tool;
  if (!one) return;
  const strokes = strokesOf(material, one);
  const gone = touchedBy(points, radius, strokes);
  if (!gone.length) return;
  useBrush.setState({ chosen: null });
  const left = strokes.filter((_, i) => !gone.includes(i));
  putStrokes(material, one, left, `${TOOL_NAMES[one]} erased`);
}
