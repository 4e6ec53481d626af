// Written by `python -m amber_thicket.web.typescript`; do not edit.

export type StageId = "gather" | "square" | "even" | "tile" | "relief" | "response" | "check" | "pack";
export type MapRole = "base_color" | "height" | "normal" | "roughness" | "metallic" | "ambient_occlusion";
export type LayerId = "gathered" | "squared" | "evened" | "base_color" | "height" | "normal" | "roughness" | "metallic" | "ambient_occlusion";

export interface SettingValues {
  "gather.orient.turn": "0" | "90" | "180" | "270";
  "gather.orient.mirror": boolean;
  "square.crop.left": number;
  "square.crop.top": number;
  "square.crop.right": number;
  "square.crop.bottom": number;
  "square.crop.resampling": "smooth" | "sharp";
  "square.size.width": 256 | 512 | 1024 | 2048 | 4096 | 8192;
  "square.size.height": 256 | 512 | 1024 | 2048 | 4096 | 8192;
  "square.size.sample_mm": number;
  "even.light.amount": number;
  "even.light.size": number;
  "even.shadow.amount": number;
  "even.shadow.size": number;
  "even.highlight.amount": number;
  "even.highlight.size": number;
  "even.original.amount": number;
  "even.original.exposure": number;
  "tile.join.method": "none" | "blend" | "cut";
  "tile.join.overlap_x": number;
  "tile.join.overlap_y": number;
  "tile.join.wander": number;
  "tile.join.feather": number;
  "relief.bands.finest": number;
  "relief.bands.fine": number;
  "relief.bands.small": number;
  "relief.bands.medium": number;
  "relief.bands.large": number;
  "relief.bands.largest": number;
  "relief.height.steepness": number;
  "relief.height.invert": boolean;
  "relief.height.low": number;
  "relief.height.high": number;
  "relief.height.middle": number;
  "relief.normal.strength": number;
  "relief.normal.y_in_files": "profile" | "plus" | "minus";
  "relief.occlusion.reach": number;
  "relief.occlusion.depth": number;
  "relief.occlusion.contrast": number;
  "response.roughness.centre": number;
  "response.roughness.spread": number;
  "response.roughness.tone": number;
  "response.roughness.detail": number;
  "response.roughness.low": number;
  "response.roughness.high": number;
  "response.metallic.level": number;
  "check.limits.base_color": "usual" | "strict";
  "pack.files.profile": "separate_y_plus" | "separate_y_minus" | "gltf";
  "pack.files.height_bits": "16" | "8";
  "pack.files.format": "png" | "tiff";
  "pack.files.name": string;
}

export type SettingPath = keyof SettingValues;
