/** The tones of the evened picture, counted, with the curve they are led along: drag, add by a click, take away by Delete. */
import { change, useEditor, valueOf } from "../../editor/store";
import type { Material } from "../../api/types";
import { CurvePad } from "../../ui/CurvePad";
import { type CurvePoint, readCurve, writeCurve } from "../../ui/curve";
import { Switch } from "../../ui/Switch";
import { useTones } from "../useTones";
import { useViews } from "../../views/state";

const PATH = "even.tone.curve";

export function ToneCurve({ material }: { material: Material }) {
  const tones = useTones(material, "evened");
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
