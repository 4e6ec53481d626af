/** What is asked of a still, and how long it takes. */
import type { MapRole, StillLook } from "../api/types";
import { aboutTime } from "../ui/durations";
import type { LitSetup } from "./state";

/** Of one path at each of a thousand pixels, ms. */
const MS = 2.4;
const MOST = 2048;
/** What is asked for: the lit view's place and light. Of shapes there are the slab and the ball. */
export function lookOf(setup: LitSetup, width: number, height: number, times = 1): StillLook {
  const scale = Math.min(times, MOST / Math.max(width, height, 1));
  return {
    shape: setup.shape === "slab" ? "slab" : "ball",
    surroundings: setup.surroundings,
    width: Math.max(64, Math.round(width * scale)),
    height: Math.max(64, Math.round(height * scale)),
    turn: setup.turn,
    tilt: setup.tilt,
    distance: setup.distance,
    repeat: setup.repeat,
    bearing: setup.bearing,
    elevation: setup.elevation,
    lamp: setup.behind ? 0 : setup.lamp,
    exposure: setup.exposure,
    sky_turn: setup.skyTurn,
    sky_light: setup.skyLight,
    displacement: setup.relief === "displaced" && !setup.off.includes("height") ? setup.displacement / 100 : 0,
    background: setup.background,
  };
}

/** Seconds a still takes, in words. */
export function timeOf(look: StillLook, paths: number): string {
  return aboutTime((paths * (look.width ?? 0) * (look.height ?? 0) * MS) / 1e6);
}

const SHAPES: LitSetup["shape"][] = ["slab", "ball"];
const FURTHER: { role: MapRole; word: string }[] = [
  { role: "opacity", word: "opacity" },
  { role: "emissive", word: "emissive" },
  { role: "translucency", word: "translucency" },
];

/** What of the lit view a still does not show, in words; "" where it shows all of it. keys: of the maps there are. */
export function leftOut(setup: LitSetup, keys: Partial<Record<string, string>>): string {
  const parts = [
    ...(SHAPES.includes(setup.shape) ? [] : ["this shape (it is the ball)"]),
    ...(setup.parallel ? ["parallel rays"] : []),
    ...(setup.behind && setup.lamp > 0 ? ["the lamp behind"] : []),
    ...(setup.varnish > 0 ? ["varnish"] : []),
    ...FURTHER.filter(({ role }) => keys[role] && !setup.off.includes(role)).map(({ word }) => word),
  ];
  return parts.length ? `without ${parts.join(", ")}` : "";
}
