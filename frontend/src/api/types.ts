/** Shapes of the answers of the service. */
import type { ColourChange, FileRule, HeightChange, LayerId, MapRole, Part, Profile, ScalarChange, SettingPath, SettingValues, StageId } from "./generated";

export type { FileRule, LayerId, MapRole, Profile, SettingPath, SettingValues, StageId };
/** What one control shows. */
export type Value = number | string | boolean;
/** What a setting may hold. */
export type SettingValue = SettingValues[SettingPath];
/** Settings to change; null puts one back to its default. */
export type Changes = Partial<Record<SettingPath, SettingValue | null>>;
export type Operations = Record<string, Record<string, SettingValue>>;

export interface SettingInfo {
  name: string;
  label: string;
  help: string;
  kind: "number" | "choice" | "switch" | "text" | "structure";
  integer: boolean;
  unit: string;
  default: Value;
  min: number | null;
  max: number | null;
  step: number | null;
  folded: boolean;
  choices: { value: string | number; label: string }[];
}
export interface OperationInfo {
  id: string;
  stage: StageId;
  name: string;
  label: string;
  help: string;
  writes: LayerId | null;
  settings: SettingInfo[];
}
/** What can be done with a kind of map; see core/roles.py. */
export interface RoleInfo {
  id: MapRole | ComparedRole;
  label: string;
  /** Where room is scarce. */
  short: string;
  channels: 1 | 3;
  compared: boolean;
  /** Every surface has one. */
  made: boolean;
  brought: boolean;
  /** Whether a file of it is a photograph, which may lie elsewhere than the first one. */
  shot: "" | "often" | "sometimes";
  /** The setting that fills it with one value. */
  uniform: SettingPath | null;
  /** The setting that holds the strokes on it. */
  strokes: StrokesPath | null;
  zone: ZoneEffect | null;
  lit: boolean;
}
/** What a zone may change on a map, and what it begins with. */
export interface ZoneEffect {
  label: string;
  path: InZonesPath;
  shape: "scalar" | "colour" | "height";
  start: ZoneChange;
}
export type ZoneChange = ScalarChange & ColourChange & HeightChange;
type Ending<End extends string> = Extract<SettingPath, `${string}.${End}`>;
/** Settings of strokes that paint a value on a map. */
export type StrokesPath = Exclude<Ending<"strokes">, `tile.${string}`>;
export type InZonesPath = Ending<"in_zones">;
export interface About {
  version: string;
  demo: boolean;
  stages: { id: StageId; layer: LayerId }[];
  operations: OperationInfo[];
  roles: RoleInfo[];
  profiles: Profile[];
  /** Formats a file may be written in; depths of a channel, the fewest bits first. */
  formats: { id: string; label: string; suffix: string; depths: string[]; alpha: boolean; lossy: boolean }[];
  /** What a channel of a file may hold. */
  contents: { id: string; label: string; whole: boolean }[];
  /** What settings that hold several values are made of. */
  shapes: Record<"zone" | "part" | "cover" | "height" | "scalar" | "colour", SettingInfo[]>;
  /** Covers to start from. */
  deposits: { label: string; changes: Record<string, Value> }[];
  /** Settings of Relief to start from, by kind of surface. */
  surfaces: { id: string; label: string; changes: Record<string, Value> }[];
}
export interface Brief {
  id: string;
  name: string;
  archived: boolean;
  changed: number;
  revision: number;
  thumbnail: string | null;
  source: { width: number; height: number; format: string; bits: number };
}
export interface SourceFinding {
  level: Level;
  what: string;
  measured: string;
  advice: string;
  /** left, top, right, bottom, 0..1 of the capture. */
  box: [number, number, number, number] | null;
}
export interface Material extends Brief {
  source: Brief["source"] & {
    file: string;
    bytes: number;
    floating: boolean;
    notes: string[];
    findings: SourceFinding[];
    /** Who made it, where it is no photograph. */
    origin?: { words: string; seed: number; provider: string };
  };
  recipe: { version: number; operations: Operations; /** Of another version, unknown here; kept. */ aside?: { version: number; operations: Record<string, Record<string, unknown>> } };
  /** Named states, oldest first. */
  snapshots: { id: number; name: string; created: number }[];
  undo: string | null;
  redo: string | null;
  /** Content keys of the layers there are. */
  keys: Record<Exclude<LayerId, BroughtRole>, string> & Partial<Record<BroughtRole, string>>;
  /** Content keys of pictures that are made of several layers. */
  pictures: Record<"strip" | "planned" | "packed" | "enlarged" | "joins", string>;
  changes: Record<StageId, number>;
  /** Content keys of the pictures of the zones, by id. */
  zones: Record<string, string>;
  files: MaterialFile[];
  preview: {
    finished: [number, number];
    tile: [number, number];
    work: [number, number];
    picture: [number, number];
    sample: [number, number, number, number];
    tile_mm: number | null;
    view: CaptureView;
  };
}
/** One file of a material. role: what it is now, "" for not used; guess and why: what the program took it for. */
export interface MaterialFile {
  key: string;
  role: FileRole | "";
  guess: string;
  why: string;
  file: string;
  width: number;
  height: number;
  bits: number;
  floating: boolean;
  format: string;
  notes: string[];
}
/** Maps that are there only when a file brings them. */
export type BroughtRole = "specular" | "opacity" | "translucency" | "emissive" | "back_color" | "relief_broad" | "relief_fine" | "relief_veins" | ComparedRole;
/** Layers that are there to compare with. */
export type ComparedRole = Extract<LayerId, `truth_${string}`>;
export type FileRole = MapRole | ComparedRole | "gloss" | "light" | "all_lights";
/** One lamp of a light set. shift: px its photograph was moved by; stops: how much otherwise it was exposed. */
export interface LampRow {
  file: string;
  name: string;
  bearing: number;
  elevation: number;
  own: boolean;
  used: boolean;
  shift?: number;
  stops?: number;
}
/** A ring of lamps; key names its pictures. */
export interface Lights {
  frames: LampRow[];
  key: string;
  residual?: number;
  roughness?: number;
  glints?: boolean;
}
export interface LightsFound {
  told: { level: Level; text: string }[];
  certain: boolean;
  confidence: number;
}
/** How the flattened picture looks into the capture; see core/square/view.py. */
export interface CaptureView {
  homography: number[];
  lens: [number, number, number, number];
  size: [number, number];
  plain: boolean;
}
export interface Place {
  x: number;
  y: number;
  radius: number;
}
export interface Places {
  alarm: number;
  /** How far the strongest place stood out before any repair. */
  before: number | null;
  places: (Place & { strength: number })[];
  filled: (Place & { from_x: number; from_y: number })[];
}
export interface TilingSuggestion {
  method: "none" | "blend" | "cut" | "lattice" | "regrow" | "strew" | "stochastic";
  reason: string;
  /** Why mixing patches is not offered; empty where it is. */
  against_mixing: string;
  /** Its lines lie askew, so no method can do well yet. */
  square_first: boolean;
  changes: Record<string, Value | null>;
  grid: { box: [number, number, number, number]; period: [number, number] } | null;
}
export interface Proposal {
  corners: [number, number][];
  k1: number;
  confidence: number;
  tilt: number;
  turn: number;
  reason: string;
  accepted: boolean;
}
export type Level = "pass" | "note" | "attention" | "blocked" | "unknown";
export interface Finding {
  rule: string;
  title: string;
  why: string;
  source: string;
  level: Level;
  measured: string;
  limit: string;
  map: MapRole | null;
  box: [number, number, number, number] | null;
  fix: { label: string; changes: Record<string, Value | null> } | null;
}
export interface Seam {
  border: number;
  inner: number;
  at: number;
  level: Level;
}
export interface Figures {
  seam: [Seam, Seam];
  seam_before: [Seam, Seam];
  drift: number;
  drift_before: number;
  /** Seams of the other maps. */
  maps: Record<string, [Seam, Seam]>;
  evidence: Record<string, number>;
  /** The share of the joins that may cut through pieces. */
  most_broken: number;
  /** How much of the surface each zone covers, by id. */
  zones: Record<string, number>;
}
export interface ZoneSuggestions {
  zones: { name: string; share: number; part: Part }[];
  why: string;
}
/** rms, largest: in shares of the range; null where two layers cannot be compared, with the reason. */
export interface Compared {
  rms: number | null;
  largest: number | null;
  why: string;
}
/** One channel of a layer: counts over its range; under, over: shares at the ends; low, middle, high: where 1, 50 and 99 % are reached. */
export interface Spread {
  channel: "red" | "green" | "blue" | "value";
  counts: number[];
  under: number;
  over: number;
  low: number;
  middle: number;
  high: number;
}
export interface HistogramTold {
  first: number;
  last: number;
  channels: Spread[];
}
export interface Probe {
  /** sRGB of the tiled colour around the place. */
  own_color: [number, number, number];
  ground_color: [number, number, number];
  base_color: [number, number, number];
  height: number;
  height_mm: number | null;
  normal: [number, number, number];
  roughness: number;
  metallic: number;
  ambient_occlusion: number;
}
export interface Job {
  id: string;
  kind: string;
  material: string | null;
  title: string;
  state: "queued" | "running" | "done" | "failed" | "cancelled";
  progress: number;
  message: string;
  result: { blob: string; bytes: number; file: string; files: PackedFile[]; failed?: { name: string; why: string }[]; /** It was made too long ago and is not kept any more. */ expired?: boolean } | null;
  attempt: number;
  created: number;
}
export interface PackedFile {
  file: string;
  bytes: number;
  width?: number;
  height?: number;
  bits?: number;
  encoding?: string;
  read_back?: string;
}
export interface FilePlan {
  profile: string;
  label: string;
  files: { name: string; format: string; roles: string[]; contents: string[]; bits: number; floating: boolean; encoding: string; y: "plus" | "minus" | null }[];
  left_out: MapRole[];
  extra: string[];
}
/** What takes the room of the data folder. */
export interface Space {
  folder: string;
  disk: { total: number; free: number };
  parts: { id: string; label: string; files: number; bytes: number }[];
  materials: { id: string; name: string; archived: boolean; bytes: number; alone: number }[];
  keep_days: number;
}
/** What deleting a material would mean. */
export interface Deletion {
  name: string;
  bytes: number;
  files: number;
  laid_over: string[];
}
