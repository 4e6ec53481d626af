/** The shapes a surface is shown on: about one unit wide, texture coordinates from 0 to 1, tangents along u. */
import { BoxGeometry, BufferAttribute, BufferGeometry, CylinderGeometry, PlaneGeometry, SphereGeometry } from "three";
import type { Shape } from "./state";

export interface Form {
  geometry: BufferGeometry;
  /** Width of one tile in units of the shape when it is repeated once. */
  tile: number;
  /** Tiles across and down for a repeat of one and a square tile. */
  across: number;
  down: number;
}

const CUBE = 0.72;

/** segments: how finely the shape is divided; aspect: height of a tile over its width; deep: depth of the slab. */
export function formOf(shape: Exclude<Shape, "own">, segments: number, aspect: number, deep: number): Form {
  const form = {
    slab: () => {
      const geometry = new PlaneGeometry(1, deep, segments, Math.round(segments * deep)).rotateX(-Math.PI / 2);
      return { geometry, tile: 1, across: 1, down: deep / aspect };
    },
    cube: () => ({
      geometry: new BoxGeometry(CUBE, CUBE, CUBE, segments, segments, segments),
      tile: CUBE,
      across: 1,
      down: 1 / aspect,
    }),
    ball: () => ({
      geometry: new SphereGeometry(0.5, segments * 2, segments),
      tile: Math.PI / 2,
      across: 2,
      down: 1 / aspect,
    }),
    column: () => ({
      geometry: new CylinderGeometry(0.32, 0.32, 1, segments * 2, segments, true),
      tile: 2 * Math.PI * 0.32 * 0.5,
      across: 2,
      down: 1 / (2 * Math.PI * 0.32 * 0.5) / aspect,
    }),
    cloth: () => ({ geometry: draped(segments), tile: 1.1, across: 1, down: 1 / aspect }),
  }[shape]();
  form.geometry.computeTangents();
  withRaised(form.geometry, shape === "cube" ? (x, y, z) => flatness(x, y, z) : () => 1);
  return form;
}

/** How far each place of a shape is displaced: all of it, but nothing at the edges of a cube, which would part. */
export function withRaised(geometry: BufferGeometry, share: (x: number, y: number, z: number) => number) {
  const places = geometry.getAttribute("position");
  const raised = new Float32Array(places.count);
  for (let i = 0; i < places.count; i++) raised[i] = share(places.getX(i), places.getY(i), places.getZ(i));
  geometry.setAttribute("raised", new BufferAttribute(raised, 1));
}

function flatness(x: number, y: number, z: number): number {
  const [, second] = [x, y, z].map(Math.abs).sort((a, b) => b - a) as [number, number, number];
  return Math.min(1, Math.max(0, (CUBE / 2 - second) / (0.04 * CUBE)));
}

/** A square cloth that hangs over a ball, in folds. */
function draped(segments: number): BufferGeometry {
  const geometry = new PlaneGeometry(1.1, 1.1, segments, segments).rotateX(-Math.PI / 2);
  const places = geometry.getAttribute("position");
  const [ball, half] = [0.26, 0.55];
  for (let i = 0; i < places.count; i++) {
    const [x, z] = [places.getX(i), places.getZ(i)];
    const along = Math.hypot(x, z);
    const angle = Math.atan2(z, x);
    // Over the ball the cloth keeps its length along the arc; past it, it falls, and what is too much lies in folds.
    const arc = Math.min(along / ball, 1.25);
    const rest = Math.max(0, along - 1.25 * ball);
    const fold = Math.min(1, rest / 0.16);
    const wave = Math.sin(4 * angle + 0.6) * 0.6 + Math.sin(7 * angle - 1.1) * 0.4;
    const out = ball * Math.sin(arc) + rest * (0.32 + 0.14 * fold * wave) + 0.035 * fold * fold * wave;
    const down = ball * (1 - Math.cos(arc)) + rest * 0.86;
    const scale = along > 1e-6 ? out / along : 1;
    places.setXYZ(i, x * scale, half - 0.2 - down, z * scale);
  }
  geometry.computeVertexNormals();
  return geometry;
}
