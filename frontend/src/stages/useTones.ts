import { useMemo } from "react";
import type { LayerId, Material } from "../api/types";
import { USUAL } from "../views/kept";
import { usePicture } from "../views/pictures";
import { tonesOf } from "./even/tones";

/** The values of a layer of the material, counted; null until its picture is there. */
export function useTones(material: Material, layer: LayerId) {
  const { picture } = usePicture({
    id: material.id,
    layer,
    key: material.keys[layer] ?? "",
    slot: `tones-${layer}`,
    side: USUAL,
  });
  return useMemo(() => {
    if (!picture) return null;
    const canvas = document.createElement("canvas");
    [canvas.width, canvas.height] = [384, 384];
    const context = canvas.getContext("2d", { willReadFrequently: true });
    if (!context) return null;
    // Picked, not averaged: averaging would hide what is clipped.
    context.imageSmoothingEnabled = false;
    context.drawImage(picture.bitmap, 0, 0, 384, 384);
    return tonesOf(context.getImageData(0, 0, 384, 384).data);
  }, [picture]);
}
