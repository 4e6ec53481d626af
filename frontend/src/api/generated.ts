// Written by `python -m amber_thicket.web.typescript`; do not edit.

export type StageId = "gather" | "square" | "even" | "tile" | "relief" | "response" | "check" | "pack";
export type MapRole = "base_color" | "height" | "normal" | "roughness" | "metallic" | "curvature" | "ambient_occlusion" | "specular" | "opacity" | "translucency" | "back_color" | "relief_broad" | "relief_fine" | "relief_veins" | "emissive";
export type LayerId = "gathered" | "squared" | "evened" | "tiled" | "base_color" | "height" | "normal" | "roughness" | "metallic" | "curvature" | "ambient_occlusion" | "specular" | "opacity" | "translucency" | "back_color" | "relief_broad" | "relief_fine" | "relief_veins" | "emissive" | "truth_base_color" | "truth_height" | "truth_normal" | "truth_roughness";

export interface SettingValues {
  "gather.white.exposure": number;
  "gather.white.red": number;
  "gather.white.green": number;
  "gather.white.blue": number;
  "gather.white.raw_white": "as_shot" | "daylight" | "average";
  "gather.white.raw_highlights": "cut" | "blend" | "rebuild";
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
  "gather.placed.places": RegisteredFile[];
  "gather.placed.joined": RegisteredFile[];
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
  "square.crop.resampling": "smooth" | "sharp" | "detail";
  "square.size.width": 256 | 512 | 1024 | 2048 | 4096 | 8192;
  "square.size.height": 256 | 512 | 1024 | 2048 | 4096 | 8192;
  "square.size.sample_mm": number;
  "even.light.amount": number;
  "even.light.size": number;
  "even.known.amount": number;
  "even.raking.amount": number;
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
  "tile.join.method": "none" | "blend" | "cut" | "lattice" | "regrow" | "strew" | "stochastic";
  "tile.join.overlap_x": number;
  "tile.join.overlap_y": number;
  "tile.join.wander": number;
  "tile.join.feather": number;
  "tile.join.begin": "photograph" | "blocks";
  "tile.join.grow": number;
  "tile.join.apart": number;
  "tile.join.piece": number;
  "tile.join.turn": number;
  "tile.join.spread": number;
  "tile.join.mirror": boolean;
  "tile.join.seed": number;
  "tile.join.excluded": Stroke[];
  "tile.join.kept": Stroke[];
  "tile.repair.spots": Spot[];
  "tile.touch.strokes": RepairStroke[];
  "tile.cutout.on": boolean;
  "tile.cutout.ground": string[];
  "tile.cutout.tolerance": number;
  "tile.cutout.soft": number;
  "tile.cutout.holes": number;
  "tile.cutout.specks": number;
  "tile.cutout.edge": number;
  "tile.cutout.strokes": MaskStroke[];
  "relief.cues.estimator": "auto" | "tone" | "shading" | "recesses";
  "relief.cues.source": "auto" | "photograph" | "evened";
  "relief.cues.light": "found" | "typed";
  "relief.cues.bearing": number;
  "relief.cues.other_end": boolean;
  "relief.cues.balance": number;
  "relief.cues.red": number;
  "relief.cues.yellow": number;
  "relief.cues.green": number;
  "relief.cues.cyan": number;
  "relief.cues.blue": number;
  "relief.cues.purple": number;
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
  "relief.shape.in_zones": Record<string, HeightChange>;
  "relief.shape.strokes": ScalarStroke[];
  "response.covers.covers": Cover[];
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
  "response.on_base_color.in_zones": Record<string, ColourChange>;
  "response.on_base_color.strokes": ColourStroke[];
  "response.roughness.centre": number;
  "response.roughness.spread": number;
  "response.roughness.tone": number;
  "response.roughness.detail": number;
  "response.roughness.low": number;
  "response.roughness.high": number;
  "response.on_roughness.in_zones": Record<string, ScalarChange>;
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
  "check.limits.base_color": "usual" | "strict";
  "pack.files.profile": "separate_y_plus" | "separate_y_minus" | "gltf" | "mask_packed" | "albedo_smoothness" | "specular_gloss" | "cut_out" | "own";
  "pack.files.height_bits": "16" | "8";
  "pack.files.format": "png" | "tiff" | "exr" | "jpeg" | "webp" | "tga";
  "pack.files.sizes": "one" | "half" | "quarter";
  "pack.files.materialx": boolean;
  "pack.files.usd": boolean;
  "pack.files.own": Profile | null;
  "pack.files.name": string;
}

export type SettingPath = keyof SettingValues;

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
  kind: "set" | "add" | "smooth";
  value: string;
  strength: number;
  soft: number;
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
/** One file of a profile. suffix: end of its name. channels: one content (a whole map), two (a whole map and alpha), or three or four (R, G, B and alpha); "1-roughness" is gloss. required: written even when all in it is blank. format, depth: "" takes what pack.files says. */
export interface FileRule {
  suffix: string;
  channels: string[];
  required?: boolean;
  format?: string;
  depth?: string;
}
/** What a zone changes on the height. */
export interface HeightChange {
  raised?: number;
  spread?: number;
  alone?: boolean;
}
export type JsonValue = unknown;
/** One photograph. file: as gather.maps names files. bearing, elevation: of its lamp, where it stands out of the even ring; None follows the ring. */
export interface Lamp {
  file: string;
  bearing?: number | null;
  elevation?: number | null;
}
/** A stroke on the mask: what it covers is kept, or left away. */
export interface MaskStroke {
  radius: number;
  points: [number, number][];
  kind: "keep" | "leave";
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
/** How a file lies. matrix: nine numbers, row by row: from places of the first photograph to those of the file, both in 0..1 across and down. wraps: its edges meet, so what leaves at one side comes in at the other. */
export interface RegisteredFile {
  file: string;
  matrix: number[];
  wraps?: boolean;
}
/** dx, dy: how much further on clone and heal copy from, in tile widths and heights. */
export interface RepairStroke {
  radius: number;
  points: [number, number][];
  kind: "clone" | "heal" | "fill";
  dx?: number;
  dy?: number;
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
  kind: "set" | "add" | "smooth";
  value: number;
  strength: number;
  soft: number;
}
/** x, y: middle in the tile, in tile widths and heights. radius: tile widths. from_x, from_y: where the filling's middle lies. */
export interface Spot {
  x: number;
  y: number;
  radius: number;
  from_x: number;
  from_y: number;
}
/** A line drawn with a round brush, or an area when the radius is 0. */
export interface Stroke {
  radius: number;
  points: [number, number][];
}
/** A region. id: how other settings name it. */
export interface Zone {
  id: string;
  name?: string;
  parts?: Part[];
  soften?: number;
  inverted?: boolean;
}
