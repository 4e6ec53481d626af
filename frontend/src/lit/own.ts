/** A shape of one's own from an OBJ or GLB file: read in the page, kept until it is closed. */
import { type BufferGeometry, Mesh, type Object3D } from "three";
import { GLTFLoader } from "three/examples/jsm/loaders/GLTFLoader.js";
import { OBJLoader } from "three/examples/jsm/loaders/OBJLoader.js";
import { mergeGeometries, mergeVertices } from "three/examples/jsm/utils/BufferGeometryUtils.js";
import { type Form, withRaised } from "./shapes";

let own: { name: string; form: Form } | null = null;
export const ownShape = () => own;

/** Reads a file as the own shape. Throws an Error that says what is missing. */
export async function readShape(file: File): Promise<string> {
  const glb = /\.(glb|gltf)$/i.test(file.name);
  let scene: Object3D;
  try {
    scene = glb
      ? (await new GLTFLoader().parseAsync(await file.arrayBuffer(), "")).scene
      : new OBJLoader().parse(await file.text());
  } catch (error) {
    throw new Error(
      `${file.name} cannot be read as ${glb ? "GLB" : "OBJ"}: ${error instanceof Error ? error.message : "it is damaged"}.`,
      { cause: error },
    );
  }
  const parts: BufferGeometry[] = [];
  scene.updateMatrixWorld(true);
  scene.traverse((thing) => {
    if (!(thing instanceof Mesh)) return;
    const source = (thing.geometry as BufferGeometry).clone().applyMatrix4(thing.matrixWorld);
    if (!source.getAttribute("uv")) return;
    for (const name of Object.keys(source.attributes))
      if (!["position", "normal", "uv"].includes(name)) source.deleteAttribute(name);
    source.morphAttributes = {};
    if (!source.getAttribute("normal")) source.computeVertexNormals();
    parts.push(source.index ? source.toNonIndexed() : source);
  });
  const whole = parts.length ? mergeGeometries(parts) : null;
  if (!whole) throw new Error(`${file.name} has no mesh with texture coordinates.`);
  const geometry = mergeVertices(whole);
  geometry.computeBoundingSphere();
  const { center, radius } = geometry.boundingSphere!;
  geometry.translate(-center.x, -center.y, -center.z).scale(0.55 / radius, 0.55 / radius, 0.55 / radius);
  geometry.computeTangents();
  withRaised(geometry, () => 1);
  own = { name: file.name, form: { geometry, tile: 1, across: 1, down: 1 } };
  return file.name;
}
