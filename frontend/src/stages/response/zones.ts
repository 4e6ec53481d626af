/** Zones as they are kept in their setting, and what they change on each map. */
import { create } from "zustand";
import { api } from "../../api/client";
import { roles } from "../../api/about";
import type { Part } from "../../api/types";
import type {
  About,
  KindInfo,
  RoleInfo,
  SettingInfo,
  SettingPath,
  SettingValues,
  Value,
  ZoneChange,
  ZoneEffectInfo,
  ZoneSuggestion,
} from "../../api/types";
import { type Changes, change, useEditor, valueOf } from "../../editor/store";
import { tellProblem } from "../../ui/notices";
import { registerTool } from "../tools";

export type PartKind = Part["kind"];
/** A zone with its parts at hand. */
export type Zone = SettingValues["response.zones.zones"][number] & { name: string; parts: Part[] };

export type { Part, ZoneChange as Change };

const ZONES = "response.zones.zones";
/** How wet zones are. */
export const WET = "response.covers.wet_zones";
/** What a zone can change on the map of that role. */
export type Effect = ZoneEffectInfo & { id: RoleInfo["id"] };
/** Everything zones can change; those of `first` before the others. */
export function effectsOf(first: readonly string[] = []): Effect[] {
  const all = roles().flatMap(({ id, zone }) => (zone ? [{ ...zone, id }] : []));
  const rank = ({ id }: Effect) => (first.includes(id) ? first.indexOf(id) : first.length);
  return all.sort((one, other) => rank(one) - rank(other));
}

interface ZoneView {
  /** The zone whose parts are shown. */
  open: string | null;
  /** The zone that is shown alone on the first view. */
  shown: string | null;
  /** Materials that were found and not taken yet, with why; those that are marked on the picture. */
  offered: { material: string; found: ZoneSuggestion[]; why: string; marked: number[] } | null;
  /** Where the next click on the picture puts a colour. */
  picking: { zone: string; part: number; list: "picks" | "against" } | null;
}

export const useZones = create<ZoneView>(() => ({ open: null, shown: null, picking: null, offered: null }));

export const MOST_ZONES = 16;
registerTool("colour of a zone", useZones, ({ picking }) => picking !== null, { picking: null });

/** The value of a setting in force, for a component. */
export function useValue<P extends SettingPath>(path: P): SettingValues[P] {
  return useEditor((state) => valueOf(state, path));
}

const whole = (zones: SettingValues[typeof ZONES]): Zone[] =>
  zones.map((zone) => ({ ...zone, name: zone.name ?? "", parts: zone.parts ?? [] }));
export const zonesNow = (): Zone[] => whole(valueOf(useEditor.getState(), ZONES));
export const useZoneList = (): Zone[] => whole(useValue(ZONES));
const changesNow = (path: Effect["path"]): Record<string, ZoneChange> =>
  valueOf(useEditor.getState(), path) as Record<string, ZoneChange>;

/** A short name no other has. */
export function freshId(taken: string[]): string {
  for (let n = 1; ; n++) if (!taken.includes(`z${n}`)) return `z${n}`;
}

export function putZones(zones: Zone[], label: string, gesture = "", more: Changes = {}) {
  change({ [ZONES]: zones, ...more }, label, gesture);
}

/** Puts another state of one zone in its place. */
export function putZone(id: string, changed: Partial<Zone>, label: string, gesture = "") {
  putZones(
    zonesNow().map((zone) => (zone.id === id ? ({ ...zone, ...changed } as Zone) : zone)),
    label,
    gesture,
  );
}

export function putPart(id: string, index: number, changed: Partial<Part>, label: string, gesture = "") {
  const zone = zonesNow().find((one) => one.id === id);
  if (zone)
    putZone(
      id,
      { parts: zone.parts.map((part, i) => (i === index ? ({ ...part, ...changed } as Part) : part)) },
      label,
      gesture,
    );
}

/** Takes a zone away, with all it changes, in one step. */
export function dropZone(id: string) {
  const more: Changes = {};
  for (const { path } of effectsOf()) {
    const { [id]: gone, ...rest } = changesNow(path);
    if (gone) more[path] = rest;
  }
  const { [id]: wet, ...others } = valueOf(useEditor.getState(), WET);
  if (wet !== undefined) more[WET] = others;
  useZones.setState({ open: null, shown: null, picking: null });
  putZones(
    zonesNow().filter((zone) => zone.id !== id),
    "Zone taken away",
    "",
    more,
  );
}

export function addZone(name: string, part: Part) {
  const zones = zonesNow();
  const id = freshId(zones.map((zone) => zone.id));
  putZones([...zones, { id, name, parts: [part] }], "Zone added");
  useZones.setState({
    open: id,
    // The whole picture is seen until a colour is picked.
    shown: part.kind === "colour" && !part.picks?.length ? null : id,
    picking: part.kind === "colour" && !part.picks?.length ? { zone: id, part: 0, list: "picks" } : null,
  });
}

export async function suggestZones(material: string) {
  try {
    const found = await api.zones(material);
    useZones.setState({
      shown: null,
      offered: { material, found: found.zones, why: found.why, marked: found.zones.map((_, i) => i) },
    });
  } catch (error) {
    tellProblem(error);
  }
}

/** Takes materials that were found as zones, in one step; what they said stays until it is put away. */
export function takeOffered(numbers: number[]) {
  const offered = useZones.getState().offered;
  if (!offered) return;
  const zones = zonesNow();
  for (const { name, part } of numbers.map((number) => offered.found[number]!))
    if (zones.length < MOST_ZONES) zones.push({ id: freshId(zones.map((zone) => zone.id)), name, parts: [part] });
  putZones(zones, "Suggested zones");
  const left = offered.found.filter((_, i) => !numbers.includes(i));
  useZones.setState({ offered: { ...offered, found: left, marked: left.map((_, i) => i) } });
}

/** Says what a zone is made of: all it sets, in one step. Null: it is told no more; what was set stays. */
export function putKind(zone: Zone, kind: KindInfo | null) {
  const more: Changes = {};
  for (const effect of effectsOf()) {
    const told = kind?.changes[effect.id as keyof KindInfo["changes"]];
    if (told === undefined) continue;
    const { [zone.id]: before, ...rest } = changesNow(effect.path);
    if (told || before) more[effect.path] = told ? { ...rest, [zone.id]: told } : rest;
  }
  putZones(
    zonesNow().map((one) => (one.id === zone.id ? { ...one, kind: kind?.id ?? "" } : one)),
    kind ? `${zone.name} is ${kind.label.toLowerCase()}` : `${zone.name} is not told`,
    "",
    more,
  );
}

/** Sets what a zone changes on a map; null for nothing. */
export function putEffect(effect: Effect, zone: string, value: ZoneChange | null, label: string, gesture = "") {
  const { [zone]: before, ...rest } = changesNow(effect.path);
  if (value || before) change({ [effect.path]: value ? { ...rest, [zone]: value } : rest }, label, gesture);
}

/** Lets a zone change a map, as its kind has it; else a colour begins with the one it was picked by, roughness with what
 * the zone has now, or with the centre of all of it while that is not measured yet: never glossier than it was. */
export function beginEffect(effect: Effect, zone: Zone, about: About | null, rough?: number) {
  const kind = about?.kinds.find(({ id }) => id === zone.kind);
  const told = kind?.changes[effect.id as keyof KindInfo["changes"]];
  if (told) {
    putEffect(effect, zone.id, told, `${effect.label} of ${zone.name}`);
    return;
  }
  const picked = effect.shape === "colour" ? { colour: zone.parts[0]?.picks?.[0] ?? "#808080" } : {};
  const start: ZoneChange = { ...picked, ...effect.start };
  if (effect.id === "roughness") {
    const around = rough ?? valueOf(useEditor.getState(), "response.roughness.centre");
    start.level = Math.round(around * 100) / 100;
  }
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
    putPart(
      picking.zone,
      picking.part,
      { [picking.list]: [...(part[picking.list] ?? []), colour].slice(-24) },
      "Colour picked",
    );
    useZones.setState({ shown: picking.zone });
  } catch (error) {
    tellProblem(error);
  }
}

/** The default of one value of a shape. */
export const fallback = (infos: SettingInfo[], name: string): Value =>
  infos.find((info) => info.name === name)?.default ?? 0;
