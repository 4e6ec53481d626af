/** Several tiles whose borders all meet: how many, and which is looked at. */
import type { Material } from "../../api/types";
import { change, useEditor, valueOf } from "../../editor/store";
import { Choice } from "../../ui/Choice";
import { tileSetOf } from "../../views/useTileSet";
import { Setting } from "../Setting";

export function TileSet({ material }: { material: Material }) {
  const count = useEditor((state) => valueOf(state, "tile.tileset.count"));
  const { shown } = tileSetOf(material);
  return (
    <section aria-label="Tile set" className="mt-2 border-t border-line pt-2">
      <h3 className="font-medium">Tile set</h3>
      <Setting path="tile.tileset.count" />
      {count > 1 ? (
        <>
          <div className="flex min-h-8 items-center justify-between gap-2">
            Tile shown
            <Choice
              label="Tile shown"
              value={String(shown)}
              options={Array.from({ length: count }, (_, i) => ({ value: String(i + 1), label: String(i + 1) }))}
              onChange={(next) => change({ "tile.tileset.shown": Number(next) }, `Tile ${next} shown`)}
            />
          </div>
          <Setting path="tile.tileset.border" />
          <Setting path="tile.tileset.seed" />
          <p className="pb-1 text-[12px] text-soft">
            Every tile fits beside every other, in every map. “Repeated” lays them at random; Pack writes all of them.
          </p>
        </>
      ) : (
        <p className="pb-1 text-[12px] text-soft">
          For surfaces that must not repeat: more tiles with the same border, to be laid at random.
        </p>
      )}
    </section>
  );
}
