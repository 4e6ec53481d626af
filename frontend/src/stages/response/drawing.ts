/** What is drawn on the tile in Relief and Response: values on a map, or the brushed part of a zone. */
import { create } from "zustand";
import type { ColourStroke, ScalarStroke, Stroke } from "../../api/types";
import { roleOf } from "../../api/about";
import type { MapRole, StrokesPath } from "../../api/types";
import { change, useEditor, valueOf } from "../../editor/store";
import type { Point } from "../../views/capture";
import { setView } from "../../views/state";
import { putPart, useValue, zonesNow } from "./zones";
import { pressedAs, touchedBy } from "../tile/strokes";
import { registerTool } from "../tools";

export type Painted = ScalarStroke | ColourStroke;
export type Kind = Painted["kind"];
export type Task =
  { on: "map"; role: MapRole } | { on: "zone"; zone: string; part: number } | { on: "cut"; keep: boolean };

const CUT = "tile.cutout.strokes";
const cutNow = () => valueOf(useEditor.getState(), CUT);

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

export const useDrawing = create<Drawing>(() => ({
  task: null,
  outline: false,
  radius: 0.03,
  kind: "set",
  value: 0.5,
  colour: "#808080",
  strength: 1,
  soft: 0.5,
  chosen: null,
}));
registerTool("drawing", useDrawing, ({ task }) => task !== null, { task: null, chosen: null });

/** The setting that holds the strokes on a map. */
export function strokesPath(role: MapRole): StrokesPath {
  const path = roleOf(role)?.strokes;
  if (!path) throw new Error(`nothing can be painted on ${role}`);
  return path;
}
export const isColoured = (role: MapRole) => roleOf(role)?.channels === 3;

const tidy = (n: number) => Number(n.toFixed(5));
const tidied = (points: Point[]) => points.map(([x, y]): Point => [tidy(x), tidy(y)]);

export const paintedNow = (role: MapRole): Painted[] => valueOf(useEditor.getState(), strokesPath(role));

export function putPainted(role: MapRole, strokes: Painted[], label: string, gesture = "") {
  change({ [strokesPath(role)]: strokes }, label, gesture);
}

/** Begins to draw, or lays the brush down. */
export function draw(task: Task | null) {
  useDrawing.setState({ task, chosen: null });
  if (task?.on === "map") setView("first", { what: task.role, how: "single" });
}

/** Adds what was just drawn to what the task is about. */
export function addDrawn(points: Point[], pressure: number[] = []) {
  const { task, outline, radius, kind, value, colour, strength, soft } = useDrawing.getState();
  if (!task || points.length < (outline ? 3 : 1)) return;
  const drawn: Stroke = { radius: outline ? 0 : tidy(radius), points: tidied(points), ...pressedAs(pressure) };
  if (task.on === "cut") {
    change({ [CUT]: [...cutNow(), { kind: task.keep ? "keep" : "leave", ...drawn }] }, "Mask brushed");
    return;
  }
  if (task.on === "zone") {
    putPart(task.zone, task.part, { strokes: [...brushedNow(task), drawn] }, "Zone brushed");
    return;
  }
  const what = isColoured(task.role) ? colour : tidy(value);
  putPainted(
    task.role,
    [...paintedNow(task.role), { kind, value: what, strength, soft, ...drawn } as Painted],
    "Painted",
  );
}

const brushedNow = ({ zone, part }: Extract<Task, { on: "zone" }>): Stroke[] =>
  zonesNow().find((one) => one.id === zone)?.parts[part]?.strokes ?? [];

/** All strokes of the task, for a view. */
export function strokesOf(task: Task): Stroke[] {
  return task.on === "cut" ? cutNow() : task.on === "zone" ? brushedNow(task) : paintedNow(task.role);
}

/** The same for a component: looked at anew whenever their setting changes. */
export function useStrokesOf(task: Task | null): Stroke[] {
  useValue(task?.on === "map" ? strokesPath(task.role) : task?.on === "cut" ? CUT : "response.zones.zones");
  return task ? strokesOf(task) : [];
}

/** Strokes with one of them elsewhere, or without it. */
const moved = <S extends Stroke>(strokes: S[], index: number, points: Point[] | null): S[] =>
  points
    ? strokes.map((stroke, i) => (i === index ? { ...stroke, points: tidied(points) } : stroke))
    : strokes.filter((_, i) => i !== index);

/** Takes back every stroke of the task that was drawn over. */
export function eraseDrawn(points: Point[], radius: number) {
  const { task } = useDrawing.getState();
  if (!task) return;
  const gone = touchedBy(points, radius, strokesOf(task));
  if (!gone.length) return;
  useDrawing.setState({ chosen: null });
  const left = <S extends Stroke>(strokes: S[]) => strokes.filter((_, i) => !gone.includes(i));
  const label = "Strokes erased";
  if (task.on === "cut") change({ [CUT]: left(cutNow()) }, label);
  else if (task.on === "zone") putPart(task.zone, task.part, { strokes: left(brushedNow(task)) }, label);
  else putPainted(task.role, left<Painted>(paintedNow(task.role)), label);
}

/** Moves one stroke, or takes it back when there is nowhere to move it. */
export function putPoints(task: Task, index: number, points: Point[] | null, gesture = "") {
  const label = points ? "Stroke moved" : "Stroke taken back";
  if (task.on === "cut") change({ [CUT]: moved(cutNow(), index, points) }, label, gesture);
  else if (task.on === "zone")
    putPart(task.zone, task.part, { strokes: moved(brushedNow(task), index, points) }, label, gesture);
  else putPainted(task.role, moved<Painted>(paintedNow(task.role), index, points), label, gesture);
}
