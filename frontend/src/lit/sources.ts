/** Fetches what the lit view needs: maps as pictures, height as numbers, surroundings. */
import { pictureUrl, request } from "../api/client";
import type { Material } from "../api/types";
import type { Further, HeightField, Light } from "./renderer";
import type { Surroundings } from "./state";

const GRID = 384;

export async function mapPicture(
  material: Material,
  layer: "base_color" | "normal" | "packed" | Further,
  signal: AbortSignal,
): Promise<ImageBitmap> {
  const key = layer === "packed" ? material.pictures.packed : material.keys[layer];
  const response = await request(
    pictureUrl(material.id, layer, layer === "base_color" ? "jpg" : "png", key ?? "") + "&follow=1",
    { signal },
  );
  return createImageBitmap(await response.blob(), { colorSpaceConversion: "none", premultiplyAlpha: "none" });
}

/** The height averaged down to the fineness a mesh can show. */
export async function heightField(material: Material, signal: AbortSignal): Promise<HeightField> {
  const response = await request(pictureUrl(material.id, "height", "u16", material.keys.height) + "&follow=1", {
    signal,
  });
  const [width, height] = (response.headers.get("X-Size") ?? "0x0").split("x").map(Number) as [number, number];
  const span = Number(response.headers.get("X-Height-Span"));
  const codes = new Uint16Array(await response.arrayBuffer());
  return { ...averaged(codes, width, height), span };
}

export function averaged(codes: Uint16Array, width: number, height: number) {
  const factor = Math.max(1, Math.floor(Math.max(width, height) / GRID));
  const [w, h] = [Math.max(1, Math.floor(width / factor)), Math.max(1, Math.floor(height / factor))];
  const values = new Float32Array(w * h);
  const scale = 1 / (65535 * factor * factor);
  for (let y = 0; y < h; y++) {
    for (let x = 0; x < w; x++) {
      let sum = 0;
      for (let dy = 0; dy < factor; dy++) {
        const row = (y * factor + dy) * width + x * factor;
        for (let dx = 0; dx < factor; dx++) sum += codes[row + dx]!;
      }
      values[y * w + x] = sum * scale;
    }
  }
  return { values, width: w, height: h };
}

export async function light(name: Surroundings, signal: AbortSignal): Promise<Light> {
  const data = await (await request(`/api/surroundings/${name}.bin`, { signal })).arrayBuffer();
  const [width, height, count, terms] = new Uint32Array(data, 0, 4) as unknown as [number, number, number, number];
  return {
    width,
    height,
    count,
    harmonics: new Float32Array(data, 16, terms * 3),
    levels: new Uint16Array(data, 16 + terms * 12),
  };
}
