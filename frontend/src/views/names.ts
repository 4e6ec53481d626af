/** What layers are called. */
import type { LayerId, StageId } from "../api/types";
import type { What } from "./state";

export const LAYER_NAMES: Record<LayerId, string> = {
  gathered: "Photograph",
  squared: "Sample",
  evened: "Evened",
  tiled: "Tiled colour",
  base_color: "Base colour",
  height: "Height",
  normal: "Normal",
  roughness: "Roughness",
  metallic: "Metallic",
  curvature: "Curvature",
  ambient_occlusion: "Occlusion",
  specular: "Specular",
  opacity: "Opacity",
  translucency: "Translucency",
  emissive: "Emissive",
  back_color: "Back side",
  relief_broad: "Broad relief",
  relief_fine: "Fine relief",
  relief_veins: "Veins",
  truth_base_color: "True base colour",
  truth_height: "True height",
  truth_normal: "True normal",
  truth_roughness: "True roughness",
};
export const WHAT_NAMES: Record<What, string> = { ...LAYER_NAMES, lit: "Lit" };
export const STAGE_NAMES: Record<StageId, string> = {
  gather: "Gather",
  square: "Square",
  even: "Even",
  tile: "Tile",
  relief: "Relief",
  response: "Response",
  check: "Check",
  pack: "Pack",
};
export const STAGE_ABOUT: Record<StageId, string> = {
  gather: "What was captured, and whether it is good enough.",
  square: "Which part becomes the sample, and how large the tile is.",
  even: "Take the light out, keep the colour.",
  tile: "Make left meet right and top meet bottom.",
  relief: "How high each point lies, and how the surface leans.",
  response: "How the surface answers light.",
  check: "Prove the set right before it leaves.",
  pack: "Which files leave, and what each channel holds.",
};
