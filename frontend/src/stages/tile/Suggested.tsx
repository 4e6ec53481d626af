/** The method that suits the sample, with the reason; applied only when accepted. */
import { Crop, Grid2x2Check, Waypoints } from "lucide-react";
import { useTiling } from "../../editor/figures";
import { type Changes, change } from "../../editor/store";
import type { Material, TilingSuggestion } from "../../api/types";
import { Button } from "../../ui/Button";
import { lookForCorners } from "../square/tool";
import { openStage, setView, useViews } from "../../views/state";

const NAMES = {
  none: "None",
  blend: "Blend",
  cut: "Cut",
  lattice: "Lattice",
  joints: "Joints",
  regrow: "Regrow",
  strew: "Strew",
  stochastic: "Stochastic",
};

/** What the suggestion is called: a method in use that nobody can vouch for is not said to suit. */
export function titleOf(found: TilingSuggestion): string {
  const name = NAMES[found.method];
  if (found.square_first) return "Square it first";
  if (Object.keys(found.changes).length > 0) return `Suggested: ${name}`;
  return found.sure ? `${name} suits it` : `${name}, as far as can be told`;
}

export function Suggested({ material }: { material: Material }) {
  const found = useTiling(material);
  const shown = useViews((state) => state.setups.tile.first.what === "gathered");
  if (!found) return <p className="py-2 text-[12px] text-soft">Looking for what repeats …</p>;
  const open = Object.keys(found.changes).length > 0;
  return (
    <section aria-label="Suggestion" className="my-1.5 flex flex-col gap-1.5 rounded-card bg-raised px-2.5 py-2">
      <h3 className="flex items-center gap-1.5 font-medium">
        {found.square_first ? (
          <Crop size={14} />
        ) : found.method === "lattice" ? (
          <Grid2x2Check size={14} />
        ) : (
          <Waypoints size={14} />
        )}
        {titleOf(found)}
      </h3>
      <p className="text-[12px] text-soft">{found.reason}</p>
      {found.square_first && (
        <div>
          <Button
            look="main"
            onClick={() => {
              openStage("square");
              void lookForCorners(material.id);
            }}
          >
            Find its corners
          </Button>
        </div>
      )}
      {(open || found.grid) && (
        <div className="flex flex-wrap gap-1.5">
          {open && (
            <Button
              look="main"
              onClick={() =>
                change(found.changes as Changes, found.method === "lattice" ? "Whole repeats" : "Suggested method")
              }
            >
              {found.method === "lattice" ? "Use whole repeats" : `Use ${NAMES[found.method].toLowerCase()}`}
            </Button>
          )}
          {found.grid && (
            <Button
              aria-pressed={shown}
              onClick={() =>
                setView("first", shown ? { what: "base_color", how: "shifted" } : { what: "gathered", how: "single" })
              }
            >
              {shown ? "Back to the tile" : "Show the grid"}
            </Button>
          )}
        </div>
      )}
    </section>
  );
}
