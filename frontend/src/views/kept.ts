/** Pictures at hand, by layer, content key and size; the oldest leave. */
import type { LayerId } from "../api/types";

/** A layer, one zone of the surface by itself, one photograph of a light set, a layer as it was in a snapshot, or that of
 * another tile of the set (0: of the one they are made of). */
export type Shown = LayerId | `zone:${string}` | `light:${string}` | `then:${string}` | `of:${number}:${LayerId}`;

export interface Picture {
  name: string;
  layer: Shown;
  bitmap: ImageBitmap;
}

const MOST = 36;
/** Side of the usual preview; larger ones are asked for when somebody zooms in. */
export const USUAL = 768;
const pictures = new Map<string, Picture>();

export const pictureName = (layer: Shown, key: string, side: number) => `${layer}/${key}/${side}`;

export const keptPicture = (name: string): Picture | undefined => pictures.get(name);

export function keep(picture: Picture) {
  pictures.set(picture.name, picture);
  for (const name of pictures.keys()) {
    if (pictures.size <= MOST) break;
    // Views may still be drawing it; the collector closes it.
    pictures.delete(name);
  }
}

/** A picture that came along with an answer. */
export async function keepPicture(layer: LayerId, key: string, data: Blob) {
  keep({ name: pictureName(layer, key, USUAL), layer, bitmap: await createImageBitmap(data) });
}
