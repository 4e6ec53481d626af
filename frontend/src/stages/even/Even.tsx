import { useFigures } from "../../editor/figures";
import type { Material } from "../../api/types";
import { Facts } from "../../ui/Facts";
import { Fold } from "../../ui/Fold";
import { useBrought } from "../gather/Files";
import { Operation } from "../Operation";
import { ToneCurve } from "./ToneCurve";

const share = (part: number | undefined) =>
  part === undefined ? "–" : part === 0 ? "none" : `${(part * 100).toFixed(part < 0.01 ? 2 : 1)} % of the picture`;

export function Even({ material }: { material: Material }) {
  const figures = useFigures(material);
  const height = useBrought("height");
  const other = useBrought("other_light");
  const found = figures?.evidence ?? {};
  const bearing = found["even_known_shading.bearing"];
  const raked = found["even_raking.strength"];
  const changed = (...ids: string[]) => {
    const count = ids.reduce((sum, id) => sum + Object.keys(material.recipe.operations[id] ?? {}).length, 0);
    return count ? `${count} changed` : "";
  };
  const fallOff = found["even_light.fall_off"];
  return (
    <>
      {other && <Operation id="even.both_lights" />}
      <Operation id="even.light" />
      <Facts rows={[["Found", fallOff ? `brightest ${fallOff.toFixed(2)} × darkest` : "–"]]} />
      <div className="border-t border-line pt-1">
        {height && (
          <>
            <Operation id="even.known_shading" />
            {bearing !== undefined && (
              <Facts
                rows={[
                  [
                    "Sun found at",
                    `${bearing.toFixed(0)}°, sky ${((found["even_known_shading.sky"] ?? 0) * 100).toFixed(0)} %`,
                  ],
                ]}
              />
            )}
          </>
        )}
        <Operation id="even.raking" />
        {raked !== undefined && (
          <Facts
            rows={[
              [
                "Light found",
                raked === 0
                  ? "from no one side: nothing is taken"
                  : `along ${found["even_raking.bearing"]!.toFixed(0)}°`,
              ],
            ]}
          />
        )}
      </div>
      <div className="border-t border-line pt-1">
        <Operation id="even.shadow" />
        <Operation id="even.highlight" />
      </div>
      <Fold title="Glare" note={changed("even.glare")}>
        <Operation id="even.glare" />
        {found["even_glare.share"] !== undefined && <Facts rows={[["Found", share(found["even_glare.share"])]]} />}
      </Fold>
      <Fold title="Blotches and drift" note={changed("even.blotches", "even.drift")}>
        <Operation id="even.drift" flat />
        <Operation id="even.blotches" flat />
      </Fold>
      <div className="border-t border-line pt-1">
        <Operation id="even.original" />
      </div>
      <Fold title="Tone" note={changed("even.tone")}>
        <ToneCurve material={material} />
        <Operation id="even.tone" without={["curve"]} />
      </Fold>
      <Fold title="Hues" note={changed("even.hues")}>
        <Operation id="even.hues" flat />
      </Fold>
    </>
  );
}
