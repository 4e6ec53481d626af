import { useBench, valueOf } from "../../bench/store";
import { useFigures } from "../../bench/figures";
import type { Material } from "../../api/types";
import { Level } from "../../ui/Level";
import { Setting } from "../Setting";
import { StandingOut } from "./StandingOut";
import { Switch } from "../../ui/Switch";
import { setView, useViews } from "../../views/state";
import { useMarking } from "./marking";
import { Suggested } from "./Suggested";

const ABOUT = {
  none: "The edges stay as they are. For captures that tile already.",
  blend: "One side fades into the other over the overlap; coarse structure widely, fine structure tightly.",
  lattice: "For courses, weaves and boards: the tile holds whole repeats, joints are bent gently until they meet, then cut.",
  cut: "The join follows the path where both sides look most alike, all the way round.",
};

export function Tile({ material }: { material: Material }) {
  const method = useBench((state) => valueOf(state, "tile.join.method")) as keyof typeof ABOUT;
  const joins = useMarking((state) => state.joins);
  const first = useViews((state) => state.setups.tile.first.what);
  const figures = useFigures(material);
  const mismatch = figures?.evidence["base_color.join_mismatch"];
  return (
    <>
      <Suggested material={material} />
      <Setting path="tile.join.method" />
      <p className="pb-1 text-[12px] text-soft">{ABOUT[method]}</p>
      {method !== "none" && (
        <>
          <Setting path="tile.join.overlap_x" />
          <Setting path="tile.join.overlap_y" />
          {(method === "cut" || method === "lattice") && <Setting path="tile.join.wander" />}
          <Setting path="tile.join.feather" />
          <label className="flex h-8 items-center justify-between">
            Show joins and pieces
            <Switch label="Show joins and pieces" checked={joins} onChange={(on) => useMarking.setState({ joins: on })} />
          </label>
          {joins && (
            <p className="pb-1 text-[12px] text-soft">
              Each tint is one part of the sample.{" "}
              <button type="button" className="underline" onClick={() => setView("first", first === "squared" ? { what: "base_color", how: "shifted" } : { what: "squared", how: "single" })}>
                {first === "squared" ? "Show the tile" : "Show them on the sample"}
              </button>
            </p>
          )}
        </>
      )}
      <StandingOut material={material} />
      <h3 className="mt-2 border-t border-line pt-2 font-medium">Does it tile?</h3>
      {figures && (
        <table className="w-full text-left">
          <thead className="text-[12px] text-soft">
            <tr>
              <th className="font-normal">Seam figure</th>
              <th className="text-right font-normal">before</th>
              <th className="text-right font-normal">after</th>
              <th />
            </tr>
          </thead>
          <tbody>
            {(["Left to right", "Top to bottom"] as const).map((name, axis) => (
              <tr key={name} className="h-6">
                <td>{name}</td>
                <td className="figures text-right text-soft">{figures.seam_before[axis]!.border.toFixed(1)}</td>
                <td className="figures text-right">{figures.seam[axis]!.border.toFixed(1)}</td>
                <td className="pl-2">
                  <Level level={figures.seam[axis]!.level} word={false} />
                </td>
              </tr>
            ))}
            <tr className="h-6">
              <td>Worst inner line</td>
              <td className="figures text-right text-soft">{Math.max(...figures.seam_before.map((s) => s.inner)).toFixed(1)}</td>
              <td className="figures text-right">{Math.max(...figures.seam.map((s) => s.inner)).toFixed(1)}</td>
              <td />
            </tr>
            <tr className="h-6">
              <td>Drift</td>
              <td />
              <td className="figures text-right">{figures.drift.toFixed(1)} ΔE</td>
              <td />
            </tr>
            {mismatch !== undefined && (
              <tr className="h-6">
                <td>Mismatch along the join</td>
                <td className="figures text-right text-soft">1.00</td>
                <td className="figures text-right">{mismatch.toFixed(2)}</td>
                <td className="pl-2">
                  <Level level={mismatch <= 0.45 ? "pass" : "attention"} word={false} />
                </td>
              </tr>
            )}
          </tbody>
        </table>
      )}
      <p className="pt-1.5 text-[12px] text-soft">A seam figure under 4 cannot be seen; over 8 it shows at every repeat. Mismatch is against random places: .45 and less is good.</p>
    </>
  );
}
