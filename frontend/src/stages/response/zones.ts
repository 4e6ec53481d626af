/** Zones as they are kept in their setting, and what they change on each map. */
import { create } from "zustand";
import { api } from "../../api/client";
import type { ColourChange, HeightChange, Part, ScalarChange } from "../../api/generated";
import type { SettingInfo, SettingPath, SettingValues, Value } from "../../api/types";
import { type Changes, change, useBench, valueOf } from "../../bench/store";
import { tell, tellProblem } from "../../ui/notices";

export type PartKind = Part["kind"];
/** A zone with its parts at hand. */
export type Zone = SettingValues["response.zones.zones"][number] & { name: string; parts: Part[] };

export type { Part };
/** What a zone changes on one map, whichever map it is. */
export type Change = ScalarChange & ColourChange & HeightChange;

const ZONES = "response.zones.zones";
/** The maps a zone can change, with the setting that holds it and what it is made of. */
export const EFFECTS = [
  { id: "roughness", label: "Roughness", path: "response.on_roughness.in_zones", shape: "scalar", start: { level: 0.4 } },
  { id: "metallic", label: "Metallic", path: "response.on_metallic.in_zones", shape: "scalar", start: { level: 0.95, spread: 0 } },
  { id: "tint", label: "Tint", path: "response.on_base_color.in_zones", shape: "colour", start: { amount: 50 } },
  { id: "height", label: "Height", path: "relief.shape.in_zones", shape: "height", start: { raised: 10 } },
  { id: "specular", label: "Specular", path: "response.on_specular.in_zones", shape: "colour", start: { colour: "#505050", keep: 0 } },
  { id: "opacity", label: "Opacity", path: "response.on_opacity.in_zones", shape: "scalar", start: { level: 0, spread: 0 } },
  { id: "translucency", label: "Translucency", path: "response.on_translucency.in_zones", shape: "colour", start: { colour: "#40602a", keep: 0 } },
  { id: "emissive", label: "Emissive", path: "response.on_emissive.in_zones", shape: "colour", start: { colour: "#ffb45a", keep: 0 } },
  { id: "occlusion", label: "Occlusion", path: "relief.on_ambient_occlusion.in_zones", shape: "scalar", start: { level: 0.7 } },
] as const satisfies readonly { id: string; label: string; path: SettingPath; shape: "scalar" | "colour" | "height"; start: Record<string, Value> }[];
export type Effect = (typeof EFFECTS)[number];

interface ZoneView {
  /** The zone whose parts are shown. */
  open: string | null;
  /** The zone that is shown alone on the first view. */
  shown: string | null;
  /** Where the next click on the picture puts a colour. */
  picking: { zone: string; part: number; list: "picks" | "against" } | null;
}

export const useZones = create<ZoneView>(() => ({ open: null, shown: null, picking: null }));

/** The value of a setting in force, for a component. */
export function useValue<P extends SettingPath>(path: P): SettingValues[P] {
  return useBench((state) => valueOf(state, path));
}

const whole = (zones: SettingValues[typeof ZONES]): Zone[] => zones.map((zone) => ({ ...zone, name: zone.name ?? "", parts: zone.parts ?? [] }));
export const zonesNow = (): Zone[] => whole(valueOf(useBench.getState(), ZONES));
export const useZoneList = (): Zone[] => whole(useValue(ZONES));
const changesNow = (path: Effect["path"]): Record<string, Change> => valueOf(useBench.getState(), path) as Record<string, Change>;

/** A short name no other has. */
export function freshId(taken: string[]): string {
  for (let n = 1; ; n++) if (!taken.includes(`z${n}`)) return `z${n}`;
}

export function putZones(zones: Zone[], label: string, gesture = "", more: Changes = {}) {
  change({ [ZONES]: zones, ...more }, label, gesture);
}

/** Puts another state of one zone in its place. */
export function putZone(id: string, changed: Partial<Zone>, label: string, gesture = "") {
  putZones(zonesNow().map((zone) => (zone.id === id ? ({ ...zone, ...changed } as Zone) : zone)), label, gesture);
}

export function putPart(id: string, index: number, changed: Partial<Part>, label: string, gesture = "") {
  const zone = zonesNow().find((one) => one.id === id);
  if (zone) putZone(id, { parts: zone.parts.map((part, i) => (i === index ? ({ ...part, ...changed } as Part) : part)) }, label, gesture);
}

/** Takes a zone away, with all it changes, in one step. */
export function dropZone(id: string) {
  const more: Changes = {};
  for (const { path } of EFFECTS) {
    const { [id]: gone, ...rest } = changesNow(path);
    if (gone) more[path] = rest;
  }
  useZones.setState({ open: null, shown: null, picking: null });
  putZones(zonesNow().filter((zone) => zone.id !== id), "Zone taken away", "", more);
}

export function addZone(name: string, part: Part) {
  const zones = zonesNow();
  const id = freshId(zones.map((zone) => zone.id));
  putZones([...zones, { id, name, parts: [part] }], "Zone added");
  useZones.setState({ open: id, shown: id, picking: part.kind === "colour" && !part.picks?.length ? { zone: id, part: 0, list: "picks" } : null });
}

export async function suggestZones(material: string) {
  try {
    const found = await api.zones(material);
    if (!found.zones.length) {
      tell("No zones suggested.", found.why);
      return;
    }
    const zones = zonesNow();
    for (const { name, part } of found.zones) zones.push({ id: freshId(zones.map((zone) => zone.id)), name, parts: [part] });
    putZones(zones.slice(0, 8), "Suggested zones");
    tell(`${found.zones.length} zones suggested.`, found.why);
  } catch (error) {
    tellProblem(error);
  }
}

/** Sets what a zone changes on a map; null for nothing. */
export function putEffect(effect: Effect, zone: string, value: Change | null, label: string, gesture = "") {
  const { [zone]: before, ...rest } = changesNow(effect.path);
  if (value || before) change({ [effect.path]: value ? { ...rest, [zone]: value } : rest }, label, gesture);
}

/** Lets a zone change a map; a colour begins with the one it was picked by. */
export function beginEffect(effect: Effect, zone: Zone) {
  const start: Change = effect.shape === "colour" ? { colour: zone.parts[0]?.picks?.[0] ?? "#808080", ...effect.start } : { ...effect.start };
  putEffect(effect, zone.id, start, `${effect.label} of ${zone.name}`);
}

export const hex = (codes: number[]) => `#${codes.map((code) => code.toString(16).padStart(2, "0")).join("")}`;

/** Takes the colour at a place of the tile for the part that waits for one. */
export async function pickColour(material: string, [x, y]: [number, number]) {
  const picking = useZones.getState().picking;
  if (!picking) return;
  try {
    const colour = hex((await api.probe(material, x, y)).own_color);
    const part = zonesNow().find((zone) => zone.id === picking.zone)?.parts[picking.part];
    if (!part) return;
    putPart(picking.zone, picking.part, { [picking.list]: [...(part[picking.list] ?? []), colour].slice(-24) }, "Colour picked");
  } catch (error) {
    tellProblem(error);
  }
}

/** The default of one value of a shape. */
export const fallback = (infos: SettingInfo[], name: string): Value => infos.find((info) => info.name === name)?.default ?? 0;
