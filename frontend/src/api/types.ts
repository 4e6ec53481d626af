// Written by `python -m amber_thicket.web.typescript`; do not edit.

/** Every setting of a recipe, by its path. */
export interface SettingValues {
  "gather.white.exposure": number;
  "gather.white.red": number;
  "gather.white.green": number;
  "gather.white.blue": number;
  "gather.white.raw_white": "as_shot" | "daylight" | "average";
  "gather.white.raw_highlights": "cut" | "blend" | "rebuild";
  "gather.camera.matrix": number[];
  "gather.camera.amount": number;
  "gather.orient.turn": "0" | "90" | "180" | "270";
  "gather.orient.mirror": boolean;
  "gather.maps.base_color": string;
  "gather.maps.height": string;
  "gather.maps.normal": string;
  "gather.maps.roughness": string;
  "gather.maps.metallic": string;
  "gather.maps.curvature": string;
  "gather.maps.ambient_occlusion": string;
  "gather.maps.specular": string;
  "gather.maps.opacity": string;
  "gather.maps.translucency": string;
  "gather.maps.back_color": string;
  "gather.maps.emissive": string;
  "gather.maps.truth_base_color": string;
  "gather.maps.truth_height": string;
  "gather.maps.truth_normal": string;
  "gather.maps.truth_roughness": string;
  "gather.maps.other_light": string;
  "gather.maps.colour": "picture" | "none";
  "gather.maps.workflow": "metal" | "specular";
  "gather.maps.normal_y": "plus" | "minus";
  "gather.maps.normal_is": "whole" | "detail";
  "gather.maps.normal_stored": "linear" | "srgb" | "decoded";
  "gather.maps.normal_swapped": boolean;
  "gather.maps.normal_inverted": boolean;
  "gather.maps.normal_two": boolean;
  "gather.maps.occlusion_white": "open" | "closed";
  "gather.maps.height_steps": "kept" | "smoothed";
  "gather.maps.height_white": "high" | "low";
  "gather.maps.height_mm": number;
  "gather.maps.roughness_white": "rough" | "smooth";
  "gather.lights.frames": Lamp[];
  "gather.lights.first": number;
  "gather.lights.direction": "ccw" | "cw";
  "gather.lights.elevation": number;
  "gather.lights.gap": number;
  "gather.lights.align": boolean;
  "gather.lights.exposure": boolean;
  "gather.lights.lamp_light": boolean;
  "gather.lights.bend": number;
  "gather.lights.all_lights": string | "";
  "gather.lights.colour": "solved" | "all";
  "gather.registration.files": RegisteredFile[];
  "gather.registration.joined": RegisteredFile[];
  "gather.merge.frames": Exposure[];
  "gather.merge.by": "exposure" | "focus";
  "gather.merge.align": boolean;
  "gather.merge.ghosts": boolean;
  "gather.walk.frames": Held[];
  "gather.walk.normal": number[];
  "gather.walk.focal": number;
  "gather.walk.bend": number;
  "gather.walk.colour": "merged" | "first";
  "gather.walk.fine": number;
  "square.lens.k1": number;
  "square.lens.k2": number;
  "square.lens.p1": number;
  "square.lens.p2": number;
  "square.flat.turn": number;
  "square.flat.stretch": number;
  "square.flat.upper_left_x": number;
  "square.flat.upper_left_y": number;
  "square.flat.upper_right_x": number;
  "square.flat.upper_right_y": number;
  "square.flat.lower_right_x": number;
  "square.flat.lower_right_y": number;
  "square.flat.lower_left_x": number;
  "square.flat.lower_left_y": number;
  "square.crop.left": number;
  "square.crop.top": number;
  "square.crop.right": number;
  "square.crop.bottom": number;
  "square.crop.resampling": "smooth" | "sharp" | "learnt" | "detail";
  "square.size.width": 256 | 512 | 1024 | 2048 | 4096 | 8192 | 16384;
  "square.size.height": 256 | 512 | 1024 | 2048 | 4096 | 8192 | 16384;
  "square.size.sample_mm": number;
  "even.both_lights.amount": number;
  "even.light.amount": number;
  "even.light.size": number;
  "even.known_shading.amount": number;
  "even.raking.amount": number;
  "even.raking.reading": "octaves" | "first";
  "even.shadow.amount": number;
  "even.shadow.size": number;
  "even.highlight.amount": number;
  "even.highlight.size": number;
  "even.glare.amount": number;
  "even.glare.margin": number;
  "even.blotches.dark": number;
  "even.blotches.bright": number;
  "even.blotches.size": number;
  "even.drift.amount": number;
  "even.drift.radius": number;
  "even.drift.protect": number;
  "even.original.amount": number;
  "even.original.exposure": number;
  "even.tone.black": number;
  "even.tone.white": number;
  "even.tone.midtone": number;
  "even.tone.contrast": number;
  "even.tone.saturation": number;
  "even.tone.curve": [number, number][];
  "even.hues.red_colour": number;
  "even.hues.red_light": number;
  "even.hues.yellow_colour": number;
  "even.hues.yellow_light": number;
  "even.hues.green_colour": number;
  "even.hues.green_light": number;
  "even.hues.cyan_colour": number;
  "even.hues.cyan_light": number;
  "even.hues.blue_colour": number;
  "even.hues.blue_light": number;
  "even.hues.purple_colour": number;
  "even.hues.purple_light": number;
  "tile.join.method": "none" | "blend" | "cut" | "lattice" | "regrow" | "strew" | "stochastic" | "joints";
  "tile.join.tiles": boolean;
  "tile.join.overlap_x": number;
  "tile.join.overlap_y": number;
  "tile.join.wander": number;
  "tile.join.feather": number;
  "tile.join.begin": "photograph" | "blocks";
  "tile.join.pattern": number;
  "tile.join.apart": number;
  "tile.join.piece": number;
  "tile.join.turn": number;
  "tile.join.spread": number;
  "tile.join.whole": boolean;
  "tile.join.mirror": boolean;
  "tile.join.seed": number;
  "tile.join.rank": number;
  "tile.join.larger": number;
  "tile.join.bend": number;
  "tile.join.joint_width": number;
  "tile.join.detail": number;
  "tile.join.smallest": number;
  "tile.join.one_piece": Stroke[];
  "tile.join.split_piece": Stroke[];
  "tile.join.excluded": Stroke[];
  "tile.join.excluded_colours": string[];
  "tile.join.excluded_tolerance": number;
  "tile.join.kept": Stroke[];
  "tile.repair.spots": Spot[];
  "tile.repair.aside": DetachedSpot[];
  "tile.retouch.strokes": RepairStroke[];
  "tile.tileset.count": number;
  "tile.tileset.shown": number;
  "tile.tileset.border": number;
  "tile.tileset.seed": number;
  "tile.cutout.on": boolean;
  "tile.cutout.source": "photograph" | "evened" | "back_lit";
  "tile.cutout.ground": string[];
  "tile.cutout.tolerance": number;
  "tile.cutout.soft": number;
  "tile.cutout.holes": number;
  "tile.cutout.specks": number;
  "tile.cutout.edge": number;
  "tile.cutout.strokes": MaskStroke[];
  "relief.cues.estimator": "auto" | "tone" | "shading" | "recesses" | "thickness";
  "relief.cues.source": "auto" | "photograph" | "evened";
  "relief.cues.light": "found" | "typed";
  "relief.cues.bearing": number;
  "relief.cues.other_end": boolean;
  "relief.cues.balance": number;
  "relief.cues.inside": boolean;
  "relief.cues.red": number;
  "relief.cues.yellow": number;
  "relief.cues.green": number;
  "relief.cues.cyan": number;
  "relief.cues.blue": number;
  "relief.cues.purple": number;
  "relief.stones.level": number;
  "relief.stones.sink": number;
  "relief.bands.finest": number;
  "relief.bands.fine": number;
  "relief.bands.small": number;
  "relief.bands.medium": number;
  "relief.bands.large": number;
  "relief.bands.largest": number;
  "relief.bands.finest_contrast": number;
  "relief.bands.fine_contrast": number;
  "relief.bands.small_contrast": number;
  "relief.bands.medium_contrast": number;
  "relief.bands.large_contrast": number;
  "relief.bands.largest_contrast": number;
  "relief.height.steepness": number;
  "relief.height.invert": boolean;
  "relief.height.low": number;
  "relief.height.high": number;
  "relief.height.middle": number;
  "response.zones.zones": Zone[];
  "response.zones.kind": string;
  "relief.shape.in_zones": Record<string, HeightChange>;
  "relief.shape.strokes": ScalarStroke[];
  "response.covers.wet": number;
  "response.covers.puddles": number;
  "response.covers.wet_zones": Record<string, number>;
  "response.covers.covers": Cover[];
  "relief.held.crispness": number;
  "relief.held.crisp_size": number;
  "relief.held.detail": number;
  "relief.normal.strength": number;
  "relief.normal.kernel": "even" | "crisp" | "calm";
  "relief.normal.crispness": number;
  "relief.normal.crisp_size": number;
  "relief.normal.detail": number;
  "relief.normal.y_in_files": "profile" | "plus" | "minus";
  "relief.occlusion.reach": number;
  "relief.occlusion.depth": number;
  "relief.occlusion.contrast": number;
  "relief.occlusion.tight": number;
  "relief.occlusion.lift": number;
  "relief.occlusion.pinned": Record<string, Record<string, JsonValue>>;
  "relief.on_ambient_occlusion.in_zones": Record<string, ScalarChange>;
  "relief.on_ambient_occlusion.strokes": ScalarStroke[];
  "relief.curvature.side": "both" | "convex" | "concave";
  "relief.curvature.width": number;
  "relief.curvature.contrast": number;
  "relief.curvature.softness": number;
  "relief.curvature.in_pack": boolean;
  "relief.split.on": boolean;
  "relief.split.broad": number;
  "relief.split.veins": number;
  "response.roughness.centre": number;
  "response.roughness.spread": number;
  "response.roughness.reads": "surface" | "tone";
  "response.roughness.recesses": number;
  "response.roughness.grain": number;
  "response.roughness.pale": number;
  "response.roughness.glints": number;
  "response.roughness.tone": number;
  "response.roughness.detail": number;
  "response.roughness.contrast": number;
  "response.roughness.curve": [number, number][];
  "response.roughness.low": number;
  "response.roughness.high": number;
  "response.on_roughness.in_zones": Record<string, RoughnessChange>;
  "response.on_roughness.strokes": ScalarStroke[];
  "response.metallic.level": number;
  "response.on_metallic.in_zones": Record<string, ScalarChange>;
  "response.on_metallic.strokes": ScalarStroke[];
  "response.specular.colour": string;
  "response.on_specular.in_zones": Record<string, ColourChange>;
  "response.on_specular.strokes": ColourStroke[];
  "response.opacity.level": number;
  "response.on_opacity.in_zones": Record<string, ScalarChange>;
  "response.on_opacity.strokes": ScalarStroke[];
  "response.translucency.colour": string;
  "response.translucency.lamp": boolean;
  "response.on_translucency.in_zones": Record<string, ColourChange>;
  "response.on_translucency.strokes": ColourStroke[];
  "response.back_color.colour": string;
  "response.on_back_color.in_zones": Record<string, ColourChange>;
  "response.on_back_color.strokes": ColourStroke[];
  "response.emissive.colour": string;
  "response.on_emissive.in_zones": Record<string, ColourChange>;
  "response.on_emissive.strokes": ColourStroke[];
  "response.on_base_color.in_zones": Record<string, ColourChange>;
  "response.on_base_color.strokes": ColourStroke[];
  "check.limits.base_color": "usual" | "strict";
  "check.limits.waived": Waiver[];
  "pack.files.profile": "separate_y_plus" | "separate_y_minus" | "gltf" | "mask_packed" | "albedo_smoothness" | "specular_gloss" | "cut_out" | "own";
  "pack.files.height_bits": "16" | "8";
  "pack.files.format": "png" | "tiff" | "exr" | "jpeg" | "webp" | "tga";
  "pack.files.sizes": "one" | "half" | "quarter";
  "pack.files.tiles": "sets" | "atlas" | "both";
  "pack.files.materialx": boolean;
  "pack.files.usd": boolean;
  "pack.files.usdz": boolean;
  "pack.files.still": boolean;
  "pack.files.own": Profile | null;
  "pack.files.name": string;
  "pack.files.pattern": string;
}

export type SettingPath = keyof SettingValues;
/** What a setting may hold. */
export type SettingValue = SettingValues[SettingPath];
/** What one control shows. */
export type Value = number | string | boolean;
/** Settings to change; null puts one back to its default. */
export type Changes = Partial<Record<SettingPath, SettingValue | null>>;
export type Operations = Record<string, Record<string, SettingValue>>;
type Ending<End extends string> = Extract<SettingPath, `${string}.${End}`>;
/** Settings of strokes that paint a value on a map. */
export type StrokesPath = Exclude<Ending<"strokes">, `tile.${string}`>;
/** Settings of what zones change on a map. */
export type InZonesPath = Ending<"in_zones">;
export type ZoneChange = ScalarChange & RoughnessChange & ColourChange & HeightChange;
/** Layers that are there to compare with. */
export type ComparedRole = Extract<LayerId, `truth_${string}`>;
/** What a file may be. */
export type FileRole = AnyRole | "gloss" | "light" | "all_lights" | "merged" | "part" | "walk";
/** Content keys of the layers there are; of optional maps only where there is such a map. */
export type LayerKeys = Record<Exclude<LayerId, OptionalRole>, string> & Partial<Record<OptionalRole, string>>;

/** Maps that not every surface has, and those to compare with. */
export type OptionalRole = "specular" | "opacity" | "translucency" | "back_color" | "relief_broad" | "relief_fine" | "relief_veins" | "emissive" | "truth_base_color" | "truth_height" | "truth_normal" | "truth_roughness" | "other_light";
/** What the program says of itself once, when the page opens. */
export interface About {
  version: string;
  demo: boolean;
  stages: StageInfo[];
  operations: OperationInfo[];
  roles: RoleInfo[];
  shapes: ShapeInfos;
  deposits: Deposit[];
  kinds: KindInfo[];
  surfaces: SurfaceStart[];
  contents: ContentInfo[];
  formats: FormatInfo[];
  profiles: Profile[];
}
export type AnyRole = "base_color" | "height" | "normal" | "roughness" | "metallic" | "curvature" | "ambient_occlusion" | "specular" | "opacity" | "translucency" | "back_color" | "relief_broad" | "relief_fine" | "relief_veins" | "emissive" | "truth_base_color" | "truth_height" | "truth_normal" | "truth_roughness" | "other_light";
/** What is audited, for which receiver. */
export interface Asked {
  files: File[];
  profile?: string;
}
/** A scan as it is to be taken. beside: files that came with it, as an OBJ's texture. patch: left, top, right, bottom as shares of what is there; empty for the largest rectangle without holes. three: places (x, y as shares) that lie in the plane; empty for the plane most of it lies along. width: px; 0 for as many as it is worth. slot: calls off what was asked before there. */
export interface AskedScan {
  blob: string;
  file: string;
  beside?: BesideFile[];
  unit?: "" | "mm" | "cm" | "m";
  turned_over?: boolean;
  patch?: number[];
  three?: [number, number][];
  width?: number;
  width_mm?: number;
  slot?: string;
}
/** One of the sets that were found, by its number. also: ids of findings that are repaired though they are not sure. */
export interface AskedSet {
  files: File[];
  profile?: string;
  set?: number;
  also?: string[];
}
/** A file that was brought. blob: its SHA-256. */
export interface AuditFile {
  name: string;
  blob: string;
}
/** sure: 0..1. repair: what mending does, in words; changes: the settings that do it. weak: not sure enough to be repaired unasked; id: what such a repair is asked for by. values: for programs. */
export interface AuditFinding {
  id: string;
  weak: boolean;
  rule: string;
  level: Level;
  what: string;
  why: string;
  file: string;
  sure: number;
  repair: string;
  changes: Record<string, unknown>;
  values: Record<string, unknown>;
}
export interface AuditRefused {
  file: string;
  why: string;
}
/** What the audit still finds after all repairs that are sure. */
export interface AuditRemains {
  findings: AuditFinding[];
}
export interface AuditReport {
  level: Level;
  sets: AuditedSet[];
  refused: AuditRefused[];
}
export interface AuditTaken {
  files: AuditFile[];
  refused: AuditRefused[];
}
export interface AuditedFile {
  file: string;
  blob: string;
  role: string;
  why: string;
  channels: Record<string, string>;
  size: [number, number];
  bits: number;
  floating: boolean;
  format: string;
  encoding: string;
  tagged: boolean;
  levels: number | null;
  values: Record<string, unknown>;
  findings: AuditFinding[];
}
export interface AuditedSet {
  name: string;
  level: Level;
  files: AuditedFile[];
  findings: AuditFinding[];
}
/** Many materials settled, checked and packed; those that need a hand come first. left: not done yet. */
export interface Batch {
  id: number;
  name: string;
  created: number;
  asked: BatchAsked;
  rows: BatchedMaterial[];
  left: number;
  seconds_left: number | null;
}
export interface BatchAsked {
  suggested: "sure" | "all" | "none";
  profile: string;
  size: number;
}
/** counts: how many materials are in each state. */
export interface BatchBrief {
  id: number;
  name: string;
  created: number;
  counts: Record<string, number>;
}
/** A rule that is not met, or cannot be told, or has something to say. map: the role it is about. */
export interface BatchFinding {
  rule: string;
  title: string;
  level: string;
  map?: string;
  measured: string;
  limit: string;
}
/** changes: settings that were taken, on the material as it was. told: what was decided, each with its reason. findings: of the check, gravest first, without what passed. thumbnail: blob of a small picture. tile_mm: width of a tile, 0 where nobody knows. */
export interface BatchResult {
  blob?: string;
  bytes: number;
  file: string;
  files: PackedFile[];
  failed?: NotPacked[];
  expired?: boolean;
  seconds?: number;
  changes?: Record<string, unknown>;
  told?: string[];
  findings?: BatchFinding[];
  thumbnail?: string;
  tile_mm?: number;
}
/** Materials to settle, check and pack. suggested: what is taken of what the program suggests. profile, size: of the packs; "" and 0 for each its own. */
export interface BatchWanted {
  materials: string[];
  suggested?: "sure" | "all" | "none";
  profile?: string;
  size?: number;
  name?: string;
}
export interface BatchedFinding {
  rule: string;
  title: string;
  level: Level;
  map: string;
  measured: string;
  limit: string;
}
/** What came of a material of a batch. told: what was decided, each with its reason. kept: its pack can be fetched. changed_since: it is not the state that was packed any more. */
export interface BatchedMaterial {
  material: string;
  name: string;
  thumbnail: string | null;
  job: string;
  state: "waiting" | "running" | "failed" | "cancelled" | "blocked" | "attention" | "passed";
  message: string;
  progress: number;
  told: string[];
  findings: BatchedFinding[];
  bytes: number;
  seconds: number;
  kept: boolean;
  changed_since: boolean;
}
/** A file that came with a scan. */
export interface BesideFile {
  blob: string;
  file: string;
}
/** A material in the library. thumbnail: SHA-256 of a small picture. */
export interface Brief {
  id: string;
  name: string;
  archived: boolean;
  changed: number;
  revision: number;
  thumbnail: string | null;
  source: BriefSource;
}
export interface BriefSource {
  width: number;
  height: number;
  format: string;
  bits: number;
}
/** Pieces that joins break. pieces: whether the surface has any; contrast: of their borders; whole_repeats: the tile holds whole repeats, where uneven pieces may be told that are whole. count: how many are broken, of about `shown`; narrow: how many are mere strips; share: of the length of all joins; boxes: of each broken one, in fractions of the tile. */
export interface Broken {
  pieces: "yes" | "no" | "unknown";
  contrast: number;
  whole_repeats: boolean;
  count: number;
  shown: number;
  narrow: number;
  share: number;
  boxes: [number, number, number, number][];
  level: Level;
}
/** A file that is kept, of which nothing was made yet. blob: its checksum. */
export interface BroughtFile {
  blob: string;
  file: string;
  width: number;
  height: number;
}
export interface CameraProfile {
  id: number;
  name: string;
  matrix: number[];
  before: number;
  after: number;
  created: number;
}
/** A picture that was made. blob: in the store. findings: what is wrong with it; nothing that passed. */
export interface Candidate {
  blob: string;
  seed: number;
  bytes: number;
  findings?: CandidateFinding[];
}
/** What was found wrong with a picture that was made. */
export interface CandidateFinding {
  what: string;
  measured: string;
}
export type CaptureKind = "photograph" | "light_set" | "two_lights" | "bracket" | "focus" | "walk_by" | "scan" | "cutout" | "maps" | "words";
/** The first file of a material. findings: None where nobody has looked at it yet. */
export interface CaptureSource {
  width: number;
  height: number;
  format: string;
  bits: number;
  key: string;
  blob: string;
  file: string;
  bytes: number;
  floating: boolean;
  notes: string[];
  findings: SourceFinding[] | null;
  role?: string;
  why?: string;
  origin?: Origin | null;
  scan?: ScanOrigin | null;
}
/** How the flattened picture looks into the capture. homography: 3 × 3, row by row. lens: k1, k2 and the middle. */
export interface CaptureView {
  homography: number[];
  lens: [number, number, number, number];
  size: [number, number];
  plain: boolean;
}
/** A material as the library shows it. width_mm: of one tile, 0 where nobody knows. state: with since when; of what was checked, how many rules are not met (to_settle) or cannot be told (untold). */
export interface Card {
  id: string;
  name: string;
  archived: boolean;
  changed: number;
  revision: number;
  thumbnail: string | null;
  source: BriefSource;
  created: number;
  kind: CaptureKind;
  width_mm: number;
  state: State;
  since: number;
  to_settle: number;
  untold: number;
  tags: string[];
}
/** All that was looked for, in order. */
export interface CardIds {
  ids: string[];
}
/** What somebody wrote on a material's card. */
export interface CardNotes {
  notes: string;
  tags: string[];
  collections: string[];
  files: string[];
}
/** A part of the library. total: how many there are in all. first: where the part begins. */
export interface Cards {
  total: number;
  first: number;
  cards: Card[];
}
/** A setting that is not as it comes. why: it belongs to its own surface, and is not carried; "" where it can be. */
export interface CarriableSetting {
  path: SettingPath;
  stage: StageId;
  label: string;
  value: string;
  why: string;
}
/** What was changed on a material, in one step. */
export interface CarriedTo {
  id: string;
  changed: SettingPath[];
  left_out: LeftOutSetting[];
  revision: number;
}
/** What carrying would change. before, after: small pictures, as data addresses. */
export interface CarryLook {
  changed: SettingPath[];
  left_out: LeftOutSetting[];
  before: string;
  after: string;
}
export type Certainty = "counted" | "clear" | "close" | "likely" | "open";
/** A colour target. corners: of its corner patches, 0..1. before, after, worst: ΔE00. stops: of exposure. changes: settings that follow. */
export interface ChartFound {
  corners: [number, number][];
  sure: number;
  patches: ChartPatch[];
  before: number;
  after: number;
  worst: number;
  stops: number;
  changes: Changes;
}
/** file: key of the file that shows the target, "" for the photograph. corners: middles of its corner patches where they were marked: dark skin, bluish green, black, white. */
export interface ChartIn {
  file?: string;
  corners?: [number, number][];
}
/** wanted, made: as #rrggbb. before, after: ΔE00. used: neither burnt out nor lost in the dark. */
export interface ChartPatch {
  name: string;
  wanted: string;
  made: string;
  before: number;
  after: number;
  used: boolean;
}
export interface Checks {
  revision: number;
  findings: Finding[];
}
export interface ChoiceInfo {
  value: string | number;
  label: string;
}
export interface Chosen {
  materials: string[];
}
/** Put aside, or brought back. */
export interface ChosenArchived {
  materials: string[];
  archived: boolean;
}
/** What a zone changes on a colour map. */
export interface ColourChange {
  colour?: string;
  amount?: number;
  keep?: number;
}
/** A stroke on a colour map; as ScalarStroke. */
export interface ColourStroke {
  radius: number;
  points: [number, number][];
  pressure?: number[];
  kind: "set" | "add" | "smooth";
  value: string;
  strength: number;
  soft: number;
}
/** rms, largest: in shares of the range; null where two layers cannot be compared, with the reason. */
export interface Compared {
  rms: number | null;
  largest: number | null;
  why: string;
}
/** What a channel of a file may hold. whole: it has three channels and needs a file of its own. */
export interface ContentInfo {
  id: string;
  label: string;
  whole: boolean;
}
/** One cover. material: id of a material of the library, empty for a deposit of one colour. zone: only there. */
export interface Cover {
  id: string;
  name?: string;
  on?: boolean;
  material?: string;
  zone?: string;
  where?: "recesses" | "tops" | "level" | "everywhere";
  share?: number;
  size?: number;
  soft?: number;
  broken?: number;
  strength?: number;
  colour?: string;
  variation?: number;
  roughness?: number;
  metallic?: number;
  thick?: number;
  smooth?: number;
  repeat?: number;
}
export interface Deleted {
  bytes: number;
}
/** What deleting a material would mean. laid_over: names of materials it lies over. */
export interface Deletion {
  name: string;
  bytes: number;
  files: number;
  laid_over: string[];
}
/** What of the demo library is being made just now, in words; "" when nothing is. */
export interface DemoMaking {
  saying: string;
}
/** A cover to start from. */
export interface Deposit {
  label: string;
  changes: Partial<Cover>;
}
/** A fill whose place shows nowhere now. x, y, from_x, from_y: where it belongs in the flattened picture, in its widths and heights; radius: in its widths. */
export interface DetachedSpot {
  x: number;
  y: number;
  radius: number;
  from_x: number;
  from_y: number;
}
export interface Disk {
  total: number;
  free: number;
}
/** A change of settings. revision: what the page knows. gesture: names one drag. showing: layers the page will ask for next; side: of their pictures, px. */
export interface Edit {
  revision: number;
  changes: Changes;
  label?: string;
  gesture?: string;
  showing?: string[];
  side?: number;
}
export interface Event {
  kind: "material" | "library" | "job" | "working";
  data: unknown;
}
/** mark: to ask with the next time. missed: more may have happened than is told. */
export interface EventsSince {
  mark: string;
  events: Event[];
  missed: boolean;
}
/** One photograph. stops: how much more light it was given than the others, by its tags; None has it found. */
export interface Exposure {
  file: string;
  stops?: number | null;
}
/** round: "cue", "size" or "steepness". chosen: settings of the rounds before. refused: readings of this round that were shown already. */
export interface EyeAsked {
  round: string;
  chosen?: Record<string, unknown>;
  refused?: string[];
}
/** A reading of the height. changes: settings that make it. normal: a data URL, Y up. */
export interface EyeOption {
  id: string;
  label: string;
  changes: Record<string, unknown>;
  normal: string;
}
/** Readings to choose among, at one place. color, photograph: data URLs, without and with the light it was shot in. more: how many readings were not shown yet. */
export interface EyeQuestion {
  round: string;
  options: EyeOption[];
  color: string;
  photograph: string;
  more: number;
}
/** seam: across and down; maps: seams of other maps. drift: ΔE of coarse colour. broken: pieces that joins break; null where nothing is joined along lines. zones: how much of the surface each covers; rough: how rough it is, on the average. tile_mm: after so much it returns; null where no real size is known. */
export interface Figures {
  seam: [Seam, Seam];
  seam_before: [Seam, Seam];
  drift: number;
  drift_before: number;
  maps: Record<string, [Seam, Seam]>;
  evidence: Record<string, number>;
  broken: Broken | null;
  zones: Record<string, number>;
  rough: Record<string, number>;
  tile_mm: number | null;
}
/** A file that was brought before. blob: its SHA-256. */
export interface File {
  name: string;
  blob: string;
}
/** Names of files that are dropped together. */
export interface FileNames {
  names: string[];
}
/** extra: scenes and the manifest. left_out: maps with nothing to say; without_place: those that no file of the profile holds. tiles: of a set, each with files of its own; atlas: columns and rows of them in one picture, where they are written so. cost: null where files of this size cannot be written. */
export interface FilePlan {
  profile: string;
  label: string;
  files: PlannedFileAnswer[];
  left_out: MapRole[];
  without_place: MapRole[];
  tiles: number;
  atlas: [number, number] | null;
  extra: string[];
  cost: PackCost | null;
}
/** One file of a profile. suffix: end of its name. channels: one content (a whole map), two (a whole map and alpha), or three or four (R, G, B and alpha); "1-roughness" is gloss. required: written even when all in it is blank. format, depth: "" takes what pack.files says. */
export interface FileRule {
  suffix: string;
  channels: string[];
  required?: boolean;
  format?: string;
  depth?: string;
}
export interface FilledPlace {
  x: number;
  y: number;
  radius: number;
  from_x: number;
  from_y: number;
}
/** What a rule says. title: what holds when it passes; fault: what is so when it does not. sure: counted, clear of the limit, close to it, likely, or open; evidence: what it rests on. measured, limit: in words with units. box: left, top, width, height in tiles. ratio: what was measured over its limit, None where the answer is yes or no. waived: somebody looked at it and let it be; it is a note then. */
export interface Finding {
  rule: string;
  title: string;
  fault: string;
  why: string;
  source: string;
  sure: Certainty;
  evidence: string;
  level: Level;
  measured: string;
  limit: string;
  map: AnyRole | null;
  box: [number, number, number, number] | null;
  fix: Fix | null;
  ratio: number | null;
  waived: boolean;
}
export interface Fix {
  label: string;
  changes: Changes;
}
/** A format files are written in. depths: of a channel, the fewest bits first. */
export interface FormatInfo {
  id: string;
  label: string;
  suffix: string;
  depths: string[];
  alpha: boolean;
  lossy: boolean;
  most_px: number;
}
/** unread: words that changed nothing. simulation: it is a stand-in that ships with the program. */
export interface GenerateResult {
  candidates?: Candidate[];
  unread: string[];
  simulation: boolean;
  expired?: boolean;
}
/** A word on each part. */
export interface Health {
  status: "ok" | "attention";
  database: string;
  queue: string;
  worker: string;
  disk: string;
}
/** What a zone changes on the height. */
export interface HeightChange {
  raised?: number;
  spread?: number;
  alone?: boolean;
}
/** One photograph, and where the camera was: turn (a rotation vector) and place of what it sees, in the frame of the first one, whose distance to the surface is 1. */
export interface Held {
  file: string;
  turn?: [number, number, number];
  place?: [number, number, number];
}
export interface HistogramTold {
  first: number;
  last: number;
  channels: Spread[];
}
/** How many materials it was done to. */
export interface HowMany {
  count: number;
}
/** Long work. progress: 0..1. result: of packs a zip, of generated pictures the candidates, of a still the picture, also while it is being made. */
export interface Job {
  id: string;
  kind: "pack" | "pack_several" | "generate" | "still" | "batch";
  material: string | null;
  title: string;
  state: "queued" | "running" | "done" | "failed" | "cancelled";
  progress: number;
  message: string;
  result: BatchResult | PackResult | GenerateResult | StillResult | null;
  attempt: number;
  created: number;
}
export type JsonValue = unknown;
/** Settings of another version that mean nothing here. */
export interface KeptAside {
  version: number;
  operations: Record<string, Record<string, unknown>>;
}
/** A file that is kept. blob: its checksum. */
export interface KeptFile {
  blob: string;
  file: string;
}
/** A pack profile of one's own that every material may take. */
export interface KeptProfile {
  id: number;
  name: string;
  profile: Profile;
  created: number;
}
/** A recipe captures may begin with. */
export interface KeptStart {
  id: number;
  name: string;
  note: string;
  created: number;
  settings: number;
}
/** What choosing a kind for a zone sets on each map; null for what it lets be. */
export interface KindChanges {
  roughness: ZoneChange;
  metallic: ZoneChange | null;
  specular: ZoneChange | null;
}
/** What a zone, or all of a surface, can be made of. whole: settings, where all of it is. */
export interface KindInfo {
  id: string;
  label: string;
  group: string;
  changes: KindChanges;
  whole: Changes;
}
/** The revision a page knows. */
export interface Known {
  revision: number;
}
/** Tags given and taken away, or collections gone into and left. */
export interface LabelsChanged {
  materials: string[];
  kind: "tag" | "collection";
  add?: string[];
  drop?: string[];
}
/** One photograph. file: as gather.maps names files. bearing, elevation: of its lamp, where it stands out of the even ring; None follows the ring. out: it is left out, and its place in the ring stays empty. */
export interface Lamp {
  file: string;
  bearing?: number | null;
  elevation?: number | null;
  out?: boolean;
}
/** One lamp of a light set. shift: px its photograph was moved by; stops: how much otherwise it was exposed. */
export interface LampRow {
  file: string;
  name: string;
  bearing: number;
  elevation: number;
  own: boolean;
  out: boolean;
  used: boolean;
  shift?: number | null;
  stops?: number | null;
}
export type LayerId = "gathered" | "squared" | "evened" | "tiled" | "base_color" | "height" | "normal" | "roughness" | "metallic" | "curvature" | "ambient_occlusion" | "specular" | "opacity" | "translucency" | "back_color" | "relief_broad" | "relief_fine" | "relief_veins" | "emissive" | "truth_base_color" | "truth_height" | "truth_normal" | "truth_roughness" | "other_light";
export interface LeftOutSetting {
  path: SettingPath;
  what: string;
  why: string;
}
export type Level = "pass" | "note" | "attention" | "blocked" | "unknown";
/** How many materials there are of each. */
export interface LibraryFacets {
  states: Record<string, number>;
  kinds: Record<string, number>;
  tags: Record<string, number>;
  collections: Record<string, number>;
}
/** A ring of lamps; key names its pictures. residual: share of the light that no surface explains. */
export interface Lights {
  frames: LampRow[];
  key: string;
  fewest: number;
  residual?: number | null;
  roughness?: number | null;
  glints?: boolean | null;
}
/** certain: bump and dent could be told apart. confidence: 0..1. */
export interface LightsFound {
  material: Material;
  told: Said[];
  certain: boolean;
  confidence: number;
}
/** Lines along straight things: points in 0..1 of the capture, or a little beside it. */
export interface Lines {
  lines: [number, number][][];
}
export type MapRole = "base_color" | "height" | "normal" | "roughness" | "metallic" | "curvature" | "ambient_occlusion" | "specular" | "opacity" | "translucency" | "back_color" | "relief_broad" | "relief_fine" | "relief_veins" | "emissive";
/** A stroke on the mask: what it covers is kept, or left away. */
export interface MaskStroke {
  radius: number;
  points: [number, number][];
  pressure?: number[];
  kind: "keep" | "leave";
}
/** A material on the bench. keys: content keys of the layers there are; pictures and zones: of other pictures; plan: of the tile plan. undo, redo: what they would take back or do again. changes: settings that differ from their defaults, by stage. */
export interface Material {
  id: string;
  name: string;
  archived: boolean;
  changed: number;
  revision: number;
  thumbnail: string | null;
  source: CaptureSource;
  files: MaterialFile[];
  recipe: RecipeAnswer;
  snapshots: SnapshotAnswer[];
  undo: string | null;
  redo: string | null;
  keys: LayerKeys;
  zones: Record<string, string>;
  pictures: Pictures;
  plan: string;
  changes: Record<StageId, number>;
  preview: Preview;
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
/** A photograph that is merged. stops: how much more light it was given than the first. shift: px it lay aside. share: of the picture that is taken from it. moved: share that was left out because something moved. */
export interface MergedFrame {
  file: string;
  name: string;
  colour: string;
  stops: number;
  shift: number;
  placed: boolean;
  share: number;
  moved: number;
}
/** lost: share of the first photograph that is burnt out or lost in the dark, and of the merged one. range: stops the brightest places lie over the first photograph's white. */
export interface Merging {
  by: string;
  key: string;
  frames: MergedFrame[];
  lost: [number, number];
  range: number;
}
export interface Named {
  name?: string;
}
/** One thing a material needs. id: the same as long as it is the same thing. changes: settings that do it at once; none where it is done by hand at the stage. rule, map: the finding it comes from. */
export interface NextStep {
  id: string;
  words: string;
  why: string;
  label: string;
  stage: "square" | "tile" | "check";
  changes: Changes;
  rule: string | null;
  map: AnyRole | null;
}
/** What comes first first. packed: whether the state there is was packed. */
export interface NextSteps {
  revision: number;
  steps: NextStep[];
  packed: boolean;
}
/** A material of several that could not be packed. */
export interface NotPacked {
  name: string;
  why: string;
}
export interface NotTaken {
  files: string;
  why: string;
}
export interface NotesWritten {
  notes: string;
}
export type Nothing = Record<string, never>;
export interface OperationInfo {
  id: string;
  stage: StageId;
  name: string;
  label: string;
  help: string;
  writes: string | null;
  settings: SettingInfo[];
}
/** Who made a picture that is no photograph. */
export interface Origin {
  words: string;
  seed: number;
  provider: string;
}
/** What a pack takes, about. bytes: of its files; spilled: of the disk meanwhile; seconds: of time. */
export interface PackCost {
  bytes: number;
  spilled: number;
  seconds: number;
}
/** blob: the zip in the store; expired: it was made too long ago and is not kept any more. seconds: it took. */
export interface PackResult {
  blob?: string;
  bytes: number;
  file: string;
  files: PackedFile[];
  failed?: NotPacked[];
  expired?: boolean;
  seconds?: number;
}
/** One file of a pack, as its manifest says it; pictures have a size, bits and an encoding. */
export interface PackedFile {
  file: string;
  bytes: number;
  width?: number | null;
  height?: number | null;
  bits?: number | null;
  encoding?: string | null;
  read_back?: string | null;
}
/** One part of a zone. */
export interface Part {
  kind: "colour" | "height" | "recesses" | "edges" | "brush";
  how?: "add" | "subtract" | "intersect";
  tolerance?: number;
  light?: number;
  low?: number;
  high?: number;
  share?: number;
  size?: number;
  soft?: number;
  picks?: string[];
  against?: string[];
  strokes?: Stroke[];
}
/** A place of the capture, in 0..1 across and down, and how far around it counts. */
export interface Patch {
  x: number;
  y: number;
  radius?: number;
}
/** Who makes pictures from words. largest_side: px. */
export interface PictureMaker {
  id: string;
  label: string;
  simulation: boolean;
  largest_side: number;
}
/** Content keys of pictures that are made of several layers. */
export interface Pictures {
  strip: string;
  planned: string;
  packed: string;
  enlarged: string;
  joins: string;
}
/** A round place of the tile, or a line along points (x, y) of it; radius in tile widths. */
export interface Place {
  x: number;
  y: number;
  radius: number;
  points?: [number, number][];
}
/** told: how the file was laid and how well it lies, in words. */
export interface Placed {
  material: Material;
  told: string;
}
/** Whether a file lies right. overlap: of outlines, 0..1. apart, inside: px of 1024. covers: share of the picture. */
export interface PlacementFit {
  level: Level;
  by: string;
  overlap: number | null;
  apart: number | null;
  covers: number;
  inside: number | null;
  told: string;
}
/** What gives the repeat away. alarm: from which strength on it is seen; perhaps: from which on it may be. blotches: how far slow change of tone and colour shows, on the same scale. aside: how many fills mend what shows nowhere. before: how far the strongest place stood out before any repair. */
export interface Places {
  alarm: number;
  perhaps: number;
  places: StandingOut[];
  blotches: number;
  filled: FilledPlace[];
  aside: number;
  before: number | null;
}
/** How a second photograph goes with the first. pairs: places marked in both, in 0..1. */
export interface Placing {
  revision: number;
  way: string;
  pairs?: [number, number, number, number][];
}
/** A file a pack will hold. y: which way green points. */
export interface PlannedFileAnswer {
  name: string;
  format: string;
  roles: string[];
  contents: string[];
  floating: boolean;
  bits: number;
  encoding: "srgb" | "linear";
  y: "plus" | "minus" | null;
}
/** Sizes in px at which previews are made. sample: left, top, right, bottom in 0..1 of the flattened picture. */
export interface Preview {
  finished: [number, number];
  tile: [number, number];
  work: [number, number];
  picture: [number, number];
  sample: [number, number, number, number];
  view: CaptureView;
  tile_mm: number | null;
}
/** All maps at one place of the tile. own_color, ground_color: sRGB of the tiled colour around it, and of what lies under a cut-out's carried colour. */
export interface Probe {
  own_color: [number, number, number];
  ground_color: [number, number, number];
  base_color: [number, number, number];
  height: number;
  height_mm: number | null;
  normal: [number, number, number];
  roughness: number;
  metallic: number;
  curvature: number;
  ambient_occlusion: number;
}
/** What went wrong, as problem details (RFC 9457): title says what, detail what to do. */
export interface Problem {
  type: string;
  title: string;
  status: number;
  detail: string;
}
/** A set of files for one kind of receiver. y: where green points. glb: the material is added as glTF besides. needs: maps that must be there. png_only: the receiver reads PNG alone. gloss: it takes gloss instead of roughness. */
export interface Profile {
  id: string;
  label: string;
  y: "plus" | "minus";
  files: FileRule[];
  glb?: boolean;
  png_only?: boolean;
  gloss?: boolean;
  needs?: string[];
}
/** A profile to keep under its label. */
export interface ProfileForAll {
  profile: Profile;
}
/** A camera profile to keep. matrix: nine numbers, row by row. before, after: mean ΔE00. */
export interface ProfileToKeep {
  name: string;
  matrix: number[];
  before: number;
  after: number;
}
/** Corners of something square in the capture, % of the picture without lens bend. confidence: 0..1. tilt, turn: degrees. accepted: sure enough to offer. */
export interface Proposal {
  corners: [number, number][];
  k1: number;
  confidence: number;
  tilt: number;
  turn: number;
  reason: string;
  accepted: boolean;
}
/** Only what differs from the defaults. */
export interface RecipeAnswer {
  version: number;
  operations: Operations;
  aside?: KeptAside | null;
}
/** A recipe as its file holds it, or the manifest of a pack. */
export interface RecipeToTake {
  revision: number;
  recipe: Record<string, unknown>;
}
/** How a file lies. on: the file it was laid on, "" for the one that was brought first. matrix: nine numbers, row by row: from places of that one to those of the file, both in 0..1 across and down. wraps: its edges meet, so what leaves at one side comes in at the other. */
export interface RegisteredFile {
  file: string;
  matrix: number[];
  wraps?: boolean;
  on?: string | "";
}
export interface Renamed {
  name: string;
}
/** dx, dy: how much further on clone and heal copy from, in tile widths and heights. */
export interface RepairStroke {
  radius: number;
  points: [number, number][];
  pressure?: number[];
  kind: "clone" | "heal" | "fill";
  dx?: number;
  dy?: number;
}
export interface ResultsDeleted {
  results: number;
  bytes: number;
}
/** What can be done with a kind of map. short: where room is scarce. made: every surface has one. shot: whether a file of it is a photograph, which may lie elsewhere than the first. uniform: the setting that fills it with one value. strokes: the setting that holds the strokes on it. */
export interface RoleInfo {
  id: AnyRole;
  label: string;
  short: string;
  channels: 1 | 3;
  compared: boolean;
  made: boolean;
  brought: boolean;
  shot: "" | "often" | "sometimes";
  uniform: SettingPath | null;
  strokes: StrokesPath | null;
  zone: ZoneEffectInfo | null;
  lit: boolean;
}
/** Which map a file is from now on; "" for none. */
export interface RoleOf {
  revision: number;
  role: string;
}
/** What a zone changes on the roughness. Where it follows anything, its own variation is that instead, Spread times the usual one. */
export interface RoughnessChange {
  level?: number;
  spread?: number;
  recesses?: number;
  grain?: number;
  pale?: number;
}
/** role: what it is; "" for not used. */
export interface RowToTake {
  blob: string;
  file: string;
  role?: string;
}
export interface Said {
  level: Level;
  text: string;
}
/** What a zone changes on a map of one channel. */
export interface ScalarChange {
  level?: number;
  spread?: number;
}
/** A stroke on a map of one channel. strength: how much of it counts; soft: how much of its width fades. */
export interface ScalarStroke {
  radius: number;
  points: [number, number][];
  pressure?: number[];
  kind: "set" | "add" | "smooth";
  value: number;
  strength: number;
  soft: number;
}
/** What a scan is. kind: "mesh", "cloud" or "depth". parts: triangles, points or px. size: width and height of what is there, and depth, in its unit. width: px it is worth. patch: what would be taken, as shares. unit: "" where the file does not say. picture: a data URL, all of it seen straight on. */
export interface ScanLook {
  kind: string;
  parts: number;
  size: [number, number];
  width: number;
  patch: [number, number, number, number];
  unit: string;
  depth: number;
  notes: string[];
  picture: string;
}
/** The scan that maps were projected from. sha256: of its file. unit_mm: of its numbers, 0 where nobody knows. patch: what was taken of it, as shares. normal: of its plane, in the file's axes. */
export interface ScanOrigin {
  file: string;
  sha256: string;
  told: Said[];
  patch: number[];
  unit_mm: number;
  holes_share: number;
  overhang_share?: number | null;
  up_told?: boolean | null;
  normal?: number[] | null;
  outliers?: number | null;
  lean_degrees?: number | null;
}
/** A material made of a scan, and what is to be known about it. */
export interface ScanTaken {
  material: Brief;
  told: Said[];
}
/** Steps across the border beside those inside, codes of 255. at: where along the border it is worst, 0..1. */
export interface Seam {
  border: number;
  inner: number;
  at: number;
  level: Level;
}
/** How a setting is declared. kind "structure": it holds several values, of the shape that `schema` says. */
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
  choices: ChoiceInfo[];
  schema?: Record<string, unknown> | null;
}
/** Where settings come from, a material or a start, and which: single ones, or whole stages, which also brings back to as it comes what is so there. */
export interface SettingsToCarry {
  material?: string;
  start?: number;
  paths?: string[];
  stages?: StageId[];
}
/** told: what was joined and laid. */
export interface Settled {
  material: Material;
  told: Said[];
}
/** Materials that are packed together. */
export interface Several {
  materials: string[];
}
/** What settings that hold several values are made of. */
export interface ShapeInfos {
  zone: SettingInfo[];
  part: SettingInfo[];
  cover: SettingInfo[];
  height: SettingInfo[];
  scalar: SettingInfo[];
  roughness: SettingInfo[];
  colour: SettingInfo[];
}
/** Cut-outs to lay out. */
export interface Sheet {
  materials: string[];
  name?: string;
  side?: number;
  padding?: number;
}
export interface SnapshotAnswer {
  id: number;
  name: string;
  created: number;
}
/** One file as it would be taken. role: "" for not used. why: in words. */
export interface SortedRow {
  blob: string;
  file: string;
  role: string;
  why: string;
}
/** What files are together, before anything is made of them. sure: nobody has to be asked. */
export interface Sorting {
  kind: string;
  told: string;
  sure: boolean;
  rows: SortedRow[];
}
/** What was seen on a capture. box: left, top, right, bottom, 0..1 of it. */
export interface SourceFinding {
  level: Level;
  what: string;
  measured: string;
  advice?: string;
  box?: [number, number, number, number] | null;
}
/** What takes the room of the data folder. keep_days: how long results of packs are kept. */
export interface Space {
  folder: string;
  disk: Disk;
  parts: SpacePart[];
  materials: SpaceOfMaterial[];
  keep_days: number;
}
/** alone: bytes that come back when it is deleted. */
export interface SpaceOfMaterial {
  id: string;
  name: string;
  archived: boolean;
  bytes: number;
  alone: number;
}
export interface SpacePart {
  id: string;
  label: string;
  files: number;
  bytes: number;
}
/** x, y: middle in the tile, in tile widths and heights. radius: tile widths. from_x, from_y: where the filling's middle lies. */
export interface Spot {
  x: number;
  y: number;
  radius: number;
  from_x: number;
  from_y: number;
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
export type StageId = "gather" | "square" | "even" | "tile" | "relief" | "response" | "check" | "pack";
export interface StageInfo {
  id: StageId;
  layer: LayerId;
}
/** x, y, radius: in tile widths and heights. strength: × what is usual here. points: along it, if it is a line. */
export interface StandingOut {
  x: number;
  y: number;
  radius: number;
  strength: number;
  points: [number, number][];
}
/** A material's settings, under a name. */
export interface StartToKeep {
  material: string;
  name: string;
  note?: string;
}
export type State = "as_shot" | "open" | "to_settle" | "passed" | "packed";
/** How a still is seen, as core.lit.still.Look and the lit view have it. surroundings: built-in ones, or the name a panorama of one's own was given. */
export interface StillLook {
  shape?: "slab" | "ball";
  surroundings?: string;
  width?: number;
  height?: number;
  turn?: number;
  tilt?: number;
  distance?: number;
  repeat?: number;
  bearing?: number;
  elevation?: number;
  lamp?: number;
  exposure?: number;
  sky_turn?: number;
  sky_light?: number;
  displacement?: number;
  background?: boolean;
}
/** job: the one that made the still. */
export interface StillOnCard {
  job: string;
}
/** blob: PNG in the store. paths: followed at each pixel so far, of so many. revision: of the material it shows. */
export interface StillResult {
  blob?: string;
  bytes: number;
  file: string;
  revision: number;
  paths: number;
  of: number;
  expired?: boolean;
}
/** A still of the state the page knows. paths: of light, at each pixel. */
export interface StillWanted {
  revision: number;
  look?: StillLook;
  paths?: number;
}
/** A line drawn with a round brush, or an area when the radius is 0. */
export interface Stroke {
  radius: number;
  points: [number, number][];
  pressure?: number[];
}
/** Settings of Relief to start from, for a kind of surface. */
export interface SurfaceStart {
  id: string;
  label: string;
  changes: Changes;
}
export interface SurroundingsBrought {
  name: string;
  label: string;
}
export interface TilingGrid {
  box: [number, number, number, number];
  period: [number, number];
}
/** The method that suits the sample, and why. against_mixing: why mixing patches is not offered, against_joints: why following joints is not; empty where it is. square_first: its lines lie askew, so no method can do well yet. sure: whether it can be taken without a look. */
export interface TilingSuggestion {
  method: "none" | "blend" | "cut" | "lattice" | "joints" | "regrow" | "strew" | "stochastic";
  reason: string;
  changes: Changes;
  grid: TilingGrid | null;
  against_mixing: string;
  against_joints: string;
  square_first: boolean;
  sure: boolean;
}
/** Places of the tile to be filled. */
export interface ToFill {
  places: Place[];
}
/** keys: of files that are new to the material. */
export interface ToSettle {
  keys: string[];
}
/** Files that came together. kind: what the person says they are, "" for not said. */
export interface ToSort {
  files: BroughtFile[];
  kind?: string;
}
/** Files as what they are to be taken, in their order. to: a material they are added to. */
export interface ToTake {
  kind: string;
  rows: RowToTake[];
  to?: string;
  gesture?: string;
}
/** What a capture is good for. */
export interface Triage {
  findings: SourceFinding[];
}
/** What a rule draws attention to and somebody let be. map: the role it is about, "" for none. ratio: what was measured over its limit, None where the answer is yes or no; then measured, in the rule's own words, says what it was. box: where, as left, top, width, height in shares of the tile; None where it is no place. */
export interface Waiver {
  rule: string;
  map?: string;
  ratio?: number | null;
  measured?: string;
  box?: [number, number, number, number] | null;
}
/** found: where the camera was held is known. */
export interface Walk {
  frames: WalkFrame[];
  found: boolean;
  key: string;
  focal: number;
}
/** One photograph of a walk-by. aside: where its camera was, right, down and forward of the first, in distances to the surface. */
export interface WalkFrame {
  file: string;
  name: string;
  aside: [number, number, number];
}
/** What is asked of a provider. */
export interface Wanted {
  words: string;
  seed?: number;
  tileable?: boolean;
  top_down?: boolean;
  side?: number;
  provider?: string;
}
/** A folder whose pictures become materials, "" for none. taken: how many did; refused: newest first. */
export interface Watched {
  folder: string;
  taken: number;
  refused: NotTaken[];
}
/** A region. id: how other settings name it. kind: what it is made of, as kinds.py has it; "" for not told. */
export interface Zone {
  id: string;
  name?: string;
  kind?: string;
  parts?: Part[];
  soften?: number;
  inverted?: boolean;
}
/** What a zone may change on a map, and what it begins with. */
export interface ZoneEffectInfo {
  label: string;
  path: InZonesPath;
  shape: "scalar" | "roughness" | "colour" | "height";
  start: ZoneChange;
}
/** outline: its borders, lines of places as shares of the tile. */
export interface ZoneSuggestion {
  name: string;
  share: number;
  part: Part;
  outline: [number, number][][];
}
export interface ZoneSuggestions {
  zones: ZoneSuggestion[];
  why: string;
}
