/** Figures that tell whether the tile repeats unseen: seams of every map, drift, joins, what stands out. */
import { finishedWidth } from "../../editor/finished";
import { useFigures, usePlaces } from "../../editor/figures";
import type { Level as Judged, Material, Seam } from "../../api/types";
import { Level } from "../../ui/Level";
import { layerName } from "../../views/names";

const WORST: Judged[] = ["blocked", "attention", "pass"];
const worst = (seams: Seam[]) => WORST.find((level) => seams.some((seam) => seam.level === level)) ?? "pass";

const lengthOf = (mm: number) => (mm >= 1000 ? `${(mm / 1000).toFixed(2)} m` : `${mm.toFixed(0)} mm`);

export function DoesItTile({ material }: { material: Material }) {
  const figures = useFigures(material);
  const places = usePlaces(material);
  const mismatch = figures?.evidence["base_color.join_mismatch"];
  const broken = figures?.broken;
  const strongest = places?.places[0]?.strength;
  const finished = finishedWidth(material);
  const previewed = material.preview.tile[0] < finished ? material.preview.tile[0] : 0;
  return (
    <section aria-label="Does it tile" className="mt-2 border-t border-line pt-2">
      <h3 className="font-medium">Does it tile?</h3>
      {figures && (
        <>
          <table className="w-full text-left">
            <thead className="text-[12px] text-soft">
              <tr>
                <th className="font-normal">Base colour</th>
                <th className="text-right font-normal">before</th>
                <th className="text-right font-normal">after</th>
                <th>
                  <span className="sr-only">Verdict</span>
                </th>
              </tr>
            </thead>
            <tbody>
              {(["Seam, left to right", "Seam, top to bottom"] as const).map((name, axis) => (
                <Row
                  key={name}
                  name={name}
                  before={figures.seam_before[axis]!.border.toFixed(1)}
                  after={figures.seam[axis]!.border.toFixed(1)}
                  level={figures.seam[axis]!.level}
                />
              ))}
              <Row
                name="Worst inner line"
                before={Math.max(...figures.seam_before.map((s) => s.inner)).toFixed(1)}
                after={Math.max(...figures.seam.map((s) => s.inner)).toFixed(1)}
              />
              <Row name="Drift, ΔE" before={figures.drift_before.toFixed(2)} after={figures.drift.toFixed(2)} />
              {mismatch !== undefined && broken?.pieces !== "yes" && (
                <Row
                  name="Mismatch along joins"
                  before="1.00"
                  after={mismatch.toFixed(2)}
                  level={mismatch <= 0.45 ? "pass" : "attention"}
                />
              )}
              {broken && broken.pieces !== "no" && (
                <Row
                  name="Broken pieces"
                  before={`of ${broken.shown}`}
                  after={`${broken.count}`}
                  level={broken.level}
                />
              )}
              {broken && broken.pieces !== "no" && broken.narrow > 0 && (
                <Row name="Narrow strips of pieces" before="" after={`${broken.narrow}`} />
              )}
              {figures.tile_mm !== null && <Row name="Returns every" before="" after={lengthOf(figures.tile_mm)} />}
              {places && strongest !== undefined && (
                <Row
                  name="What stands out"
                  before={places.before?.toFixed(2) ?? ""}
                  after={strongest.toFixed(2)}
                  level={strongest < places.alarm ? "pass" : "attention"}
                />
              )}
              {places && (
                <Row
                  name="Slow blotches"
                  before=""
                  after={places.blotches.toFixed(2)}
                  level={places.blotches < places.alarm ? "pass" : "attention"}
                />
              )}
            </tbody>
          </table>
          <table className="mt-1 w-full text-left">
            <thead className="text-[12px] text-soft">
              <tr>
                <th className="font-normal">Seams of the other maps</th>
                <th className="text-right font-normal">across</th>
                <th className="text-right font-normal">down</th>
                <th>
                  <span className="sr-only">Verdict</span>
                </th>
              </tr>
            </thead>
            <tbody>
              {Object.entries(figures.maps).map(([role, seams]) => (
                <Row
                  key={role}
                  name={layerName(role)}
                  before={seams[0].border.toFixed(1)}
                  after={seams[1].border.toFixed(1)}
                  level={worst(seams)}
                  plain
                />
              ))}
            </tbody>
          </table>
        </>
      )}
      <p className="pt-1.5 text-[12px] text-soft">
        {previewed > 0 && `Measured on the preview, ${previewed} px of ${finished}. `}A seam figure under 4 cannot be
        seen; over 8 it shows at every repeat. Mismatch is against random places: .45 and less is good. What stands out
        and blotches are seen in the repeat from 1.1 on, and may be from .9 on.
        {broken && broken.count > 0 && " Broken pieces are framed in red: a join runs through their middle."}
      </p>
    </section>
  );
}

/** plain: both figures count alike. */
function Row({
  name,
  before,
  after,
  level,
  plain,
}: {
  name: string;
  before: string;
  after: string;
  level?: Judged;
  plain?: boolean;
}) {
  return (
    <tr className="h-6">
      <td>{name}</td>
      <td className={`figures text-right ${plain ? "" : "text-soft"}`}>{before}</td>
      <td className="figures text-right">{after}</td>
      <td className="pl-2">{level && <Level level={level} word={false} />}</td>
    </tr>
  );
}
