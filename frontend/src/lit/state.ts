/** How the lit view is set up, material by material; kept in this browser. */
import { create } from "zustand";
import type { MapRole } from "../api/types";
import { recall, remember } from "../ui/remember";

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
  /** What the service calls the panorama. */
  panoramaName: Surroundings;
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
  panoramaName: "studio",
  shapeFile: "",
  turn: 0,
  tilt: 58,
  distance: 1,
};

/** What a material's set-up is called; the newest of all is where one without begins. */
const ofMaterial = (id: string) => `lit-of-${id}`;

/** A set-up without files of one's own: they belong to the material they were opened for. */
function withoutFiles(setup: LitSetup): LitSetup {
  const light = setup.surroundings.startsWith("own-") ? { surroundings: START.surroundings } : {};
  return { ...setup, ...light, panorama: "", shapeFile: "", shape: setup.shape === "own" ? START.shape : setup.shape };
}

export const useLit = create<LitSetup>(() => withoutFiles({ ...START, ...recall<LitSetup>(KEPT) }));

/** The material that is looked at; while its files are fetched, nothing is kept. */
let open = "";
let restoring = false;

useLit.subscribe((setup) => {
  if (restoring) return;
  remember(KEPT, setup);
  if (open) remember(ofMaterial(open), setup);
});

/** Sets the view up as it was for a material: its shape, panorama, light and place. shapeOf: reads the shape that was
 * opened for it, and says its name; null when there is none. */
export async function openLit(id: string, shapeOf: (id: string) => Promise<string | null>) {
  if (open === id) return;
  open = id;
  const own = recall<LitSetup>(ofMaterial(id));
  const setup = { ...START, ...(own ?? recall<LitSetup>(KEPT)) };
  restoring = true;
  useLit.setState(
    own ? { ...setup, shapeFile: "", shape: setup.shape === "own" ? "ball" : setup.shape } : withoutFiles(setup),
  );
  const name = own?.shapeFile ? await shapeOf(id).catch(() => null) : null;
  if (open !== id) return;
  if (name) useLit.setState({ shapeFile: name, shape: setup.shape });
  restoring = false;
}

export const resetCamera = () => useLit.setState({ turn: START.turn, tilt: START.tilt, distance: START.distance });
