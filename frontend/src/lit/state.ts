/** How the lit view is set up; kept in this browser. */
import { create } from "zustand";
import type { MapRole } from "../api/types";

export type Shape = "slab" | "cube" | "ball" | "column" | "cloth" | "own";
export type Surroundings = "studio" | "overcast" | "sun" | `own-${string}`;

export interface LitSetup {
  shape: Shape;
  surroundings: Surroundings;
  /** Toward the lamp: degrees counter-clockwise from the right, and above the surface. */
  bearing: number;
  elevation: number;
  lamp: number;
  /** The lamp stands on the other side: what lets light through glows. */
  behind: boolean;
  exposure: number;
  /** The lamp casts shadows through the height. */
  shadows: boolean;
  /** Surroundings: how far they are turned, degrees, how bright they are, and whether they are seen. */
  skyTurn: number;
  skyLight: number;
  background: boolean;
  /** A clear film on all of it, per cent. */
  varnish: number;
  /** How relief is shown: all of it, or how other ways of showing it would look. */
  relief: "displaced" | "normal" | "bump" | "colour";
  /** Displacement as a share of the true depth, per cent. */
  displacement: number;
  repeat: number;
  off: MapRole[];
  /** All rays run alike: no perspective. */
  parallel: boolean;
  /** Parts a shape is divided into across; 0 goes by how fast drawing is. */
  fineness: number;
  /** File names of a panorama and a shape of one's own. */
  panorama: string;
  shapeFile: string;
  turn: number;
  tilt: number;
  distance: number;
}

const KEPT = "lit-2";
const START: LitSetup = {
  shape: "slab",
  surroundings: "overcast",
  bearing: 130,
  elevation: 32,
  lamp: 1,
  behind: false,
  exposure: -0.4,
  shadows: true,
  skyTurn: 0,
  skyLight: 1,
  background: false,
  varnish: 0,
  relief: "displaced",
  displacement: 100,
  repeat: 2,
  off: [],
  parallel: false,
  fineness: 0,
  panorama: "",
  shapeFile: "",
  turn: 0,
  tilt: 58,
  distance: 1,
};

function kept(): Partial<LitSetup> {
  try {
    return JSON.parse(localStorage.getItem(KEPT) ?? "{}") as Partial<LitSetup>;
  } catch {
    return {};
  }
}

export const useLit = create<LitSetup>(() => {
  const before = kept();
  // A shape of one's own is not kept: its file has to be opened again.
  return { ...START, ...before, shapeFile: "", shape: before.shape === "own" ? "ball" : (before.shape ?? START.shape) };
});
useLit.subscribe((state) => localStorage.setItem(KEPT, JSON.stringify(state)));
export const resetCamera = () => useLit.setState({ turn: START.turn, tilt: START.tilt, distance: START.distance });
