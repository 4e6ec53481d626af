import { useFigures } from "../../bench/figures";
import { useBench, valueOf } from "../../bench/store";
import type { Material } from "../../api/types";
import { Facts } from "../../ui/Facts";
import { Fold } from "../../ui/Fold";
import { Operation } from "../Operation";
import { Setting } from "../Setting";
import { Brought, useBrought } from "../gather/Files";
import { BandCurve } from "./BandCurve";

export function Relief({ material }: { material: Material }) {
  const figures = useFigures(material);
  const strength = useBench((state) => valueOf(state, "relief.normal.strength")) as number;
  const reach = useBench((state) => valueOf(state, "relief.occlusion.reach")) as number;
  const depth = figures?.evidence["height.depth_percent_of_tile"];
  const mm = figures?.evidence["height.depth_mm"];
  const [height, leaning, open] = [useBrought("height"), useBrought("normal"), useBrought("ambient_occlusion")];
  return (
    <>
      {height ? <Brought role="height" file={height} /> : leaning ? <p className="py-1.5">Height follows the normal map that was brought.</p> : <BandCurve material={material} />}
      {leaning ? null : <Setting path="relief.height.steepness" />}
      <Setting path="relief.height.invert" />
      <Facts rows={[["Depth", depth === undefined ? "–" : `${depth.toFixed(1)} % of tile${mm === undefined ? "" : ` · ${mm.toFixed(1)} mm`}`]]} />
      <Operation id="relief.height" without={["steepness", "invert"]} />
      <Fold title="Normal" note={`strength ${strength.toFixed(2)}`} open>
        {leaning && <Brought role="normal" file={leaning} />}
        <Operation id="relief.normal" />
      </Fold>
      <Fold title="Occlusion" note={`reach ${reach.toFixed(1)} %`} open>
        {open && <Brought role="ambient_occlusion" file={open} />}
        <Operation id="relief.occlusion" without={open ? ["reach", "depth"] : []} />
      </Fold>
    </>
  );
}
