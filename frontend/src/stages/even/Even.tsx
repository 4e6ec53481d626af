import { useFigures } from "../../bench/figures";
import type { Material } from "../../api/types";
import { Facts } from "../../ui/Facts";
import { Fold } from "../../ui/Fold";
import { Operation } from "../Operation";

export function Even({ material }: { material: Material }) {
  const figures = useFigures(material);
  const changed = (id: string) => {
    const count = Object.keys(material.recipe.operations[id] ?? {}).length;
    return count ? `${count} changed` : "";
  };
  const fallOff = figures?.evidence["evened_light.fall_off"];
  return (
    <>
      <Operation id="even.light" />
      <Facts rows={[["Found", fallOff ? `brightest ${fallOff.toFixed(2)} × darkest` : "–"]]} />
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
