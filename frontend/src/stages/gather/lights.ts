/** The light set of the open material: its ring of lamps, what was found, and the pictures that prove it. */
import { useQuery } from "@tanstack/react-query";
import { create } from "zustand";
import { api, Problem } from "../../api/client";
import type { Lamp } from "../../api/types";
import type { LampRow, LightsFound, Material } from "../../api/types";
import { busy } from "../../editor/busy";
import { useEditor, valueOf, change, settled } from "../../editor/store";
import { tellProblem } from "../../ui/notices";

/** The status of an answer that was called off. */
const STOPPED = 499;

export type Proof = "photograph" | "relit" | "difference" | "residual";

/** The photograph that is looked at, how, and what was last found out. */
export const useLights = create<{
  shown: { number: number; what: Proof } | null;
  found: (Omit<LightsFound, "material"> & { id: string }) | null;
  looking: boolean;
}>(() => ({ shown: null, found: null, looking: false }));

export const isLightSet = (material: Material) => material.files.filter((file) => file.role === "light").length >= 3;

/** The ring as the service describes it. */
export function useRing(material: Material, wanted = true) {
  return useQuery({
    enabled: wanted,
    queryKey: ["lights", material.id, material.revision],
    queryFn: () => api.lights(material.id),
    placeholderData: (old) => old,
  });
}

/** Lets the program find the lamps, and sets what it found. */
export async function findLamps() {
  const material = await settled();
  if (!material) return;
  useLights.setState({ looking: true });
  const done = busy("lamps");
  try {
    const { material: newest, ...found } = await api.findLights(material.id, material.revision);
    if (useEditor.getState().material?.id === newest.id) useEditor.setState({ material: newest });
    useLights.setState({ found: { ...found, id: newest.id } });
  } catch (error) {
    // Whoever stopped it knows.
    if (!(error instanceof Problem && error.status === STOPPED)) tellProblem(error, "The lamps were not found");
  } finally {
    useLights.setState({ looking: false });
    done();
  }
}

/** Stops looking for the lamps; nothing is changed then. */
export const stopLooking = (id: string) => void api.stopLights(id).catch(tellProblem);

/** Turns all lamps by half: bumps become dents. */
export function turnHalf() {
  const first = Number(valueOf(useEditor.getState(), "gather.lights.first"));
  change({ "gather.lights.first": (first + 180) % 360 }, "Lamps turned by half");
}

/** Changes one lamp, or the order. */
export function putFrames(rows: Lamp[], label: string, gesture = "") {
  change({ "gather.lights.frames": rows }, label, gesture);
}

export const framesNow = (): Lamp[] => [...valueOf(useEditor.getState(), "gather.lights.frames")];

/** Moves a photograph one place on in the ring. */
export function moveFrame(file: string, by: 1 | -1) {
  const rows = framesNow();
  const at = rows.findIndex((row) => row.file === file);
  const to = (at + by + rows.length) % rows.length;
  [rows[at], rows[to]] = [rows[to]!, rows[at]!];
  putFrames(rows, "Order of the light set");
}

/** Leaves one lamp out, or puts it back; the others stand where they stood. */
export function leaveOut(lamp: LampRow) {
  const rows = framesNow().map((row) => {
    if (row.file !== lamp.file) return row;
    return { ...row, out: !lamp.out };
  });
  putFrames(rows, lamp.out ? "Lamp put back" : "Lamp left out");
}

/** Lets one lamp stand out of the ring: null puts it back. */
export function standApart(lamp: LampRow, apart: { bearing?: number; elevation?: number } | null) {
  const rows = framesNow().map((row) => {
    if (row.file !== lamp.file) return row;
    return apart
      ? { ...row, bearing: apart.bearing ?? lamp.bearing, elevation: apart.elevation ?? lamp.elevation }
      : { file: row.file };
  });
  putFrames(rows, apart ? "Lamp apart" : "Lamp back in the ring");
}

/** Where a lamp is drawn: the middle is straight above, the rim is level with the surface. */
export function spot(lamp: LampRow, radius: number): [number, number] {
  const away = radius * Math.cos((lamp.elevation * Math.PI) / 180);
  const turn = (lamp.bearing * Math.PI) / 180;
  return [away * Math.cos(turn), -away * Math.sin(turn)];
}
