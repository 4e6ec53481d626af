/** The shapes a surface is shown on: one unit wide, texture coordinates from 0 to 1, tangents along u. */
import { BufferGeometry, CylinderGeometry, PlaneGeometry, SphereGeometry } from "three";
import type { Shape } from "./state";

export interface Form {
  geometry: BufferGeometry;
  /** Width of one tile in units of the shape when it is repeated once. */
  tile: number;
  /** Tiles across and down for a repeat of one and a square tile. */
  across: number;
  down: number;
}

/** segments: how finely the shape is divided; aspect: height of a tile over its width; deep: depth of the slab. */
export function formOf(shape: Shape, segments: number, aspect: number, deep: number): Form {
  const form = {
    slab: () => {
      const geometry = new PlaneGeometry(1, deep, segments, Math.round(segments * deep)).rotateX(-Math.PI / 2);
      return { geometry, tile: 1, across: 1, down: deep / aspect };
    },
    ball: () => ({ geometry: new SphereGeometry(0.5, segments * 2, segments), tile: Math.PI / 2, across: 2, down: 1 / aspect }),
    column: () => ({ geometry: new CylinderGeometry(0.32, 0.32, 1, segments * 2, segments, true), tile: 2 * Math.PI * 0.32 * 0.5, across: 2, down: 1 / (2 * Math.PI * 0.32 * 0.5) / aspect }),
  }[shape]();
  form.geometry.computeTangents();
  return form;
}
