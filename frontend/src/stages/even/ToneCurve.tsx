/** The tones of the evened picture, counted, with the curve they are led along: drag, add by a click, take away by Delete. */
import { useMemo } from "react";
import { change, useEditor, valueOf } from "../../editor/store";
import type { Material } from "../../api/types";
import { CurvePad } from "../../ui/CurvePad";
import { type CurvePoint, readCurve, writeCurve } from "../../ui/curve";
import { Switch } from "../../ui/Switch";
import { USUAL } from "../../views/kept";
import { usePicture } from "../../views/pictures";
import { useViews } from "../../views/state";
import { tonesOf } from "./tones";

const PATH = "even.tone.curve";

function useTones(material: Material) {
  const { picture } = usePicture({
    id: material.id,
    layer: "evened",
    key: material.keys.evened ?? "",
    slot: "tones",
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

export function ToneCurve({ material }: { material: Material }) {
  const tones = useTones(material);
  const points = readCurve(useEditor((state) => valueOf(state, PATH)));
  const clipping = useViews((state) => state.clipping);
  const put = (next: CurvePoint[], gesture = "") => change({ [PATH]: writeCurve(next) }, "Tone curve", gesture);
  const percent = (share: number) =>
    share === 0 ? "none" : share < 0.0005 ? "under 0.1 %" : `${(share * 100).toFixed(1)} %`;
  return (
    <section aria-label="Tone curve" className="py-1">
      <CurvePad points={points} onChange={put} bars={tones?.bars} counted="Tones counted" />
      <label className="flex h-8 items-center justify-between">
        Mark clipped pixels
        <Switch label="Mark clipped pixels" checked={clipping} onChange={(on) => useViews.setState({ clipping: on })} />
      </label>
      {tones && (
        <p className="text-[12px] text-soft">{`At full brightness: ${percent(tones.bright)}. At black: ${percent(tones.dark)}.${clipping ? " Amber is too bright, white too dark." : ""}`}</p>
      )}
    </section>
  );
}
