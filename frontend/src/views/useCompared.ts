/** What is laid over the first view to compare it with: the layer of the second view, or the same layer of a snapshot. */
import { useMemo } from "react";
import type { LayerId, Material } from "../api/types";
import { useBlink } from "./Compare";
import { channelOf, differenceOf } from "./draw";
import { usePicture } from "./pictures";
import { wraps } from "./space";
import { type Side, useViews, type ViewSetup } from "./state";

type Drawable = ReturnType<typeof channelOf>;

export interface Compared {
  /** The layer it is compared with, if it is another one. */
  against: LayerId | null;
  /** The snapshot it is compared with, if it is one. */
  then: number | null;
  /** Its picture, once it is there. */
  beside: Drawable | null;
  /** Instead of the layer itself: its difference from that, or that alone while it blinks. */
  instead: Drawable | null;
  mode: ReturnType<typeof useViews.getState>["compare"]["mode"];
  split: number;
}

export function useCompared(
  side: Side,
  layer: LayerId,
  channel: ViewSetup["channel"],
  material: Material,
  asked: { id: string; side: number },
  source: Drawable | null,
): Compared {
  const compare = useViews((state) => state.compare);
  const other = useViews((state) => state.setups[state.stage].second.what);
  const on = compare.mode !== "off" && side === "first";
  const against =
    on && other !== "lit" && material.keys[other] && wraps(other) === wraps(layer) ? (other as LayerId) : null;
  // A snapshot is compared layer by layer.
  const kept = on && layer !== "gathered" && material.snapshots.some((one) => one.id === compare.snapshot);
  const then = kept ? compare.snapshot : null;
  const { picture: second } = usePicture(
    then !== null
      ? { ...asked, layer: `then:${then}:${layer}`, key: String(then), slot: "compare" }
      : against
        ? { ...asked, layer: against, key: material.keys[against]!, slot: "compare" }
        : null,
  );
  const blink = useBlink((against !== null || then !== null) && compare.mode === "blink");
  const beside = useMemo(() => (second ? channelOf(second.bitmap, channel) : null), [second, channel]);
  const difference = useMemo(
    () => (source && beside && compare.mode === "difference" ? differenceOf(source, beside, compare.gain) : null),
    [source, beside, compare.mode, compare.gain],
  );
  const instead = difference ?? (beside && blink ? beside : null);
  return { against, then, beside, instead, mode: compare.mode, split: compare.split };
}
