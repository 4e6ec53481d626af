import { useFigures } from "../../bench/figures";
import type { Material } from "../../api/types";
import { Facts } from "../../ui/Facts";
import { Fold } from "../../ui/Fold";
import { useBrought } from "../gather/Files";
import { Operation } from "../Operation";

export function Even({ material }: { material: Material }) {
  const figures = useFigures(material);
  const height = useBrought("height");
  const bearing = figures?.evidence["evened_known.bearing"];
  const changed = (id: string) => {
    const count = Object.keys(material.recipe.operations[id] ?? {}).length;
    return count ? `${count} changed` : "";
  };
  const fallOff = figures?.evidence["evened_light.fall_off"];
  return (
    <>
      <Operation id="even.light" />
      <Facts rows={[["Found", fallOff ? `brightest ${fallOff.toFixed(2)} × darkest` : "–"]]} />
      {height && (
        <div className="border-t border-line pt-1">
          <Operation id="even.known" />
          {bearing !== undefined && <Facts rows={[["Sun found at", `${bearing.toFixed(0)}°, sky ${((figures?.evidence["evened_known.sky"] ?? 0) * 100).toFixed(0)} %`]]} />}
        </div>
      )}
      <div className="border-t border-line pt-1">
        <Operation id="even.shadow" />
        <Operation id="even.highlight" />
      </div>
      <div className="border-t border-line pt-1">
        <Operation id="even.original" />
      </div>
      <Fold title="Tone" note={changed("even.tone")}>
        <Operation id="even.tone" />
      </Fold>
      <Fold title="Hues" note={changed("even.hues")}>
        <Operation id="even.hues" flat />
      </Fold>
    </>
  );
}
