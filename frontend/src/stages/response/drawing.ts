/** What is drawn on the tile in Relief and Response: values on a map, or the brushed part of a zone. */
import { create } from "zustand";
import type { MapRole, SettingPath } from "../../api/types";
import { change, useBench, valueOf } from "../../bench/store";
import type { Point } from "../../views/capture";
import { setView } from "../../views/state";
import { putPart, useSettingText, written, ZONES, zonesNow } from "./zones";

export type Kind = "set" | "add" | "smooth";
export type Task = { on: "map"; role: MapRole } | { on: "zone"; zone: string; part: number } | { on: "cut"; keep: boolean };

const CUT: SettingPath = "tile.cutout.strokes";
/** A stroke of a cut-out's mask: what it does, radius, then x, y of each point. */
type CutStroke = ["keep" | "leave", number, ...number[]];
const readCut = (text: unknown): CutStroke[] => (text ? (JSON.parse(String(text)) as CutStroke[]) : []);
const cutNow = () => readCut(valueOf(useBench.getState(), CUT));

interface Drawing {
  task: Task | null;
  outline: boolean;
  /** In tile widths. */
  radius: number;
  kind: Kind;
  value: number;
  colour: string;
  strength: number;
  soft: number;
  /** The stroke that is shown and can be moved or taken back. */
  chosen: number | null;
}

export const useDrawing = create<Drawing>(() => ({ task: null, outline: false, radius: 0.03, kind: "set", value: 0.5, colour: "#808080", strength: 1, soft: 0.5, chosen: null }));

export const PAINTED: Partial<Record<MapRole, SettingPath>> = {
  height: "relief.shape.strokes",
  ambient_occlusion: "relief.on_ambient_occlusion.strokes",
  base_color: "response.on_base_color.strokes",
  roughness: "response.on_roughness.strokes",
  metallic: "response.on_metallic.strokes",
  specular: "response.on_specular.strokes",
  opacity: "response.on_opacity.strokes",
  translucency: "response.on_translucency.strokes",
  emissive: "response.on_emissive.strokes",
  back_color: "response.on_back_color.strokes",
};
export const COLOURED: MapRole[] = ["base_color", "specular", "translucency", "emissive", "back_color"];

/** A stroke on a map: kind, value, strength, softness, radius, then x, y of each point. */
export type Painted = [Kind, number | string, number, number, number, ...number[]];

const tidy = (n: number) => Number(n.toFixed(5));
export const pointsOf = (flat: number[]): Point[] => Array.from({ length: flat.length / 2 }, (_, i): Point => [flat[2 * i]!, flat[2 * i + 1]!]);

export const readPainted = (text: unknown): Painted[] => (text ? (JSON.parse(String(text)) as Painted[]) : []);
export const paintedNow = (role: MapRole): Painted[] => readPainted(valueOf(useBench.getState(), PAINTED[role]!));

export function putPainted(role: MapRole, strokes: Painted[], label: string, gesture = "") {
  change({ [PAINTED[role]!]: written(strokes) }, label, gesture);
}

/** Begins to draw, or lays the brush down. */
export function draw(task: Task | null) {
  useDrawing.setState({ task, chosen: null });
  if (task?.on === "map") setView("first", { what: task.role, how: "single" });
}

/** Adds what was just drawn to what the task is about. */
export function addDrawn(points: Point[]) {
  const { task, outline, radius, kind, value, colour, strength, soft } = useDrawing.getState();
  if (!task || points.length < (outline ? 3 : 1)) return;
  const flat = points.flat().map(tidy);
  const size = outline ? 0 : tidy(radius);
  if (task.on === "cut") {
    change({ [CUT]: written([...cutNow(), [task.keep ? "keep" : "leave", size, ...flat]]) }, "Mask brushed");
    return;
  }
  if (task.on === "zone") {
    const part = zonesNow().find((zone) => zone.id === task.zone)?.parts[task.part];
    if (part) putPart(task.zone, task.part, { strokes: [...(part.strokes ?? []), [size, ...flat]] }, "Zone brushed");
    return;
  }
  const what = COLOURED.includes(task.role) ? colour : tidy(value);
  putPainted(task.role, [...paintedNow(task.role), [kind, what, strength, soft, size, ...flat]], "Painted");
}

/** All strokes of the task, for a view. */
export function strokesOf(task: Task): { radius: number; points: Point[] }[] {
  if (task.on === "cut") return cutNow().map(([, radius, ...flat]) => ({ radius, points: pointsOf(flat) }));
  if (task.on === "zone") {
    const part = zonesNow().find((zone) => zone.id === task.zone)?.parts[task.part];
    return (part?.strokes ?? []).map(([radius, ...flat]) => ({ radius: radius!, points: pointsOf(flat) }));
  }
  return paintedNow(task.role).map(([, , , , radius, ...flat]) => ({ radius, points: pointsOf(flat) }));
}

/** The same for a component: looked at anew whenever their setting changes. */
export function useStrokesOf(task: Task | null): { radius: number; points: Point[] }[] {
  useSettingText(task?.on === "map" ? PAINTED[task.role]! : task?.on === "cut" ? CUT : ZONES);
  return task ? strokesOf(task) : [];
}

/** Moves one stroke, or takes it back when there is nowhere to move it. from: where it lay when the drag began. */
export function putPoints(task: Task, index: number, points: Point[] | null, gesture = "") {
  const flat = points?.flat().map(tidy) ?? [];
  if (task.on === "cut") {
    const rows = cutNow();
    if (points) rows[index] = [rows[index]![0], rows[index]![1], ...flat];
    else rows.splice(index, 1);
    change({ [CUT]: written(rows) }, points ? "Stroke moved" : "Stroke taken back", gesture);
    return;
  }
  if (task.on === "zone") {
    const part = zonesNow().find((zone) => zone.id === task.zone)?.parts[task.part];
    const strokes = [...(part?.strokes ?? [])];
    if (points) strokes[index] = [strokes[index]![0]!, ...flat];
    else strokes.splice(index, 1);
    putPart(task.zone, task.part, { strokes }, points ? "Stroke moved" : "Stroke taken back", gesture);
    return;
  }
  const strokes = paintedNow(task.role);
  if (points) strokes[index] = [...(strokes[index]!.slice(0, 5) as unknown as Painted), ...flat] as Painted;
  else strokes.splice(index, 1);
  putPainted(task.role, strokes, points ? "Stroke moved" : "Stroke taken back", gesture);
}
