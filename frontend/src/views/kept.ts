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
/** Side of what is asked for first where the usual one is slow. */
export const HALF = USUAL / 2;
/** From a change on, a picture that takes longer than this is asked for in half its size first. */
const AT_ONCE_MS = 45;
/** What a change itself takes, where the picture was asked for after it. */
const CHANGE_MS = 20;
const pictures = new Map<string, Picture>();
/** What the newest whole picture of a layer took. */
const took = new Map<Shown, number>();

export const isSlow = (layer: Shown): boolean => (took.get(layer) ?? 0) > AT_ONCE_MS;

/** Notes what a whole picture of the usual size took. alone: it was asked for by itself, after the change. */
export function noteTime(layer: Shown, ms: number, alone: boolean) {
  took.set(layer, alone ? ms + CHANGE_MS : ms);
}

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
export async function keepPicture(layer: LayerId, key: string, data: Blob, side: number) {
  keep({ name: pictureName(layer, key, side), layer, bitmap: await createImageBitmap(data) });
}
