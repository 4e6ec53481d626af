/** Pictures of the other tiles of a set, where they are laid at random. */
import { useEffect, useMemo, useState } from "react";
import { calledOff, hasPassed, pictureUrl, request } from "../api/client";
import type { LayerId, Material } from "../api/types";
import { busy } from "../editor/busy";
import { tellProblem } from "../ui/notices";
import { channelOf } from "./draw";
import { keep, keptPicture, pictureName } from "./kept";
import type { Channel, Side } from "./state";

/** How many tiles the set has, and which of them is shown. */
export function tileSetOf(material: Material): { count: number; shown: number } {
  const { count = 1, shown = 1 } = (material.recipe.operations["tile.tileset"] ?? {}) as {
    count?: number;
    shown?: number;
  };
  return { count, shown: Math.min(shown, count) };
}

/** All tiles but the one that is shown; none while they are not wanted. Each comes when it is there. */
export function useTileSet(
  wanted: boolean,
  side: Side,
  layer: LayerId,
  channel: Channel,
  material: Material,
  px: number,
): { others: ReturnType<typeof channelOf>[]; waiting: boolean } {
  const { count, shown } = tileSetOf(material);
  const key = material.keys[layer] ?? "";
  const names = useMemo(() => {
    if (!wanted) return [];
    const numbers = Array.from({ length: count }, (_, i) => i + 1).filter((number) => number !== shown);
    return numbers.map((number) => `of:${number}:${layer}` as const);
  }, [wanted, count, shown, layer]);
  const [come, setCome] = useState(0);
  useEffect(() => {
    const control = new AbortController();
    const bring = async () => {
      for (const name of names) {
        if (keptPicture(pictureName(name, key, px))) continue;
        const done = busy(name);
        try {
          const url = pictureUrl(material.id, name, "jpg", key, `${side}-${name}`, px);
          const response = await request(url, { signal: control.signal });
          keep({
            name: pictureName(name, key, px),
            layer: name,
            bitmap: await createImageBitmap(await response.blob()),
          });
          setCome((n) => n + 1);
        } catch (error) {
          const dropped = error instanceof DOMException || calledOff(error) || hasPassed(error);
          if (!dropped) tellProblem(error, "A tile of the set could not be made");
          return;
        } finally {
          done();
        }
      }
    };
    void bring();
    return () => control.abort();
  }, [names, key, material.id, side, px]);
  return useMemo(() => {
    const there = names.flatMap((name) => keptPicture(pictureName(name, key, px)) ?? []);
    return {
      others: there.map((picture) => channelOf(picture.bitmap, channel)),
      waiting: there.length < names.length,
    };
    // `come` counts the pictures that have come.
    // eslint-disable-next-line react-hooks/exhaustive-deps
  }, [names, key, px, channel, come]);
}
