import { capturedWidth, finishedWidth, keepingSize, unenlarged } from "../../editor/finished";
import { type Changes, change, useEditor, valueOf } from "../../editor/store";
import { Button } from "../../ui/Button";
import { useTiling } from "../../editor/figures";
import type { Material } from "../../api/types";
import { Level } from "../../ui/Level";
import { Setting } from "../Setting";
import { Brushes } from "./Brushes";
import { CutOut } from "./CutOut";
import { DoesItTile } from "./DoesItTile";
import { MethodRow } from "./MethodRow";
import { StandingOut } from "./StandingOut";
import { Switch } from "../../ui/Switch";
import { setView, useViews } from "../../views/state";
import { useMarking } from "./marking";
import { Suggested } from "./Suggested";
import { TileSet } from "./TileSet";

const ABOUT = {
  none: "The edges stay as they are. For captures that tile already.",
  blend: "One side fades into the other over the overlap; coarse structure widely, fine structure tightly.",
  lattice:
    "For courses, weaves and boards: the tile holds whole repeats, joints are bent gently until they meet, then cut.",
  joints:
    "For stones, slabs, slates, leaves: looks for the steps at which joins can run between pieces, so that none is cut and few are trimmed.",
  regrow:
    "Keeps the photograph and lays further parts of it over its worst joins, or rebuilds it from blocks at any size. Takes some seconds.",
  strew:
    "Scatters turned parts with organic outlines. For soil, gravel, leaves: what lies any way round, in light from no one side.",
  stochastic: "Mixes patches so that nothing can be recognised and the histogram stays. For noise-like surfaces.",
  cut: "The join follows the path where both sides look most alike, all the way round.",
};

/** What can be set for each method. */
const SETTINGS = {
  none: ["tiles"],
  blend: ["overlap_x", "overlap_y", "feather"],
  cut: ["overlap_x", "overlap_y", "wander", "feather"],
  lattice: ["overlap_x", "overlap_y", "wander", "feather"],
  joints: ["rank", "larger", "bend", "joint_width", "detail", "smallest"],
  regrow: ["whole", "begin", "overlap_x", "overlap_y", "apart", "feather", "seed"],
  strew: ["piece", "whole", "turn", "spread", "mirror", "feather", "seed"],
  stochastic: ["piece", "seed"],
} as const;

/** Methods that make more of the surface than the sample shows. */
const GROWING = new Set(["regrow", "strew", "stochastic"]);

/** Grown beyond the sample at the same size, maps keep less of it: told, with the size that keeps it. */
function KeptWhenGrown({ material }: { material: Material }) {
  const finished = finishedWidth(material);
  const captured = capturedWidth(material);
  const { wide, whole } = keepingSize(captured);
  if (finished > 0.75 * Math.min(captured, wide)) return null;
  const share = Math.round((100 * finished) / captured);
  return (
    <div role="note" className="flex flex-col items-start gap-1 pb-1.5 text-[12px] text-soft">
      <p>
        At {finished} px the maps keep {share} % of the sample&apos;s resolution
        {whole ? "." : `; ${wide} px, the most there is, keep ${Math.round((100 * wide) / captured)} %.`}
      </p>
      <Button
        onClick={() => {
          const high = Math.round((material.preview.finished[1] * wide) / finished);
          change({ "square.size.width": wide, "square.size.height": high } as Changes, "Size that keeps the sample");
        }}
      >
        Make maps of {wide} px
      </Button>
    </div>
  );
}

/** Enlarged, maps hold what was made up: told, with the way to more of the surface instead. */
function ExtendedInstead({ material, pattern }: { material: Material; pattern: number }) {
  const [finished, captured] = [finishedWidth(material), capturedWidth(material)];
  if (captured > 0.8 * finished) return null;
  const scale = unenlarged(captured, finished, pattern);
  return (
    <div role="note" className="flex flex-col items-start gap-1 pb-1.5 text-[12px] text-soft">
      <p>
        {Math.round(captured)} px of the capture are enlarged to {finished} px. Instead, more of the surface can be made
        of it, pixel by pixel.
      </p>
      <Button
        onClick={() =>
          change(
            { "tile.join.method": "regrow", "tile.join.whole": true, "tile.join.pattern": scale } as Changes,
            "Sample extended beyond its borders",
          )
        }
      >
        Extend it beyond its borders
      </Button>
    </div>
  );
}

export function Tile({ material }: { material: Material }) {
  const method = useEditor((state) => valueOf(state, "tile.join.method")) as keyof typeof ABOUT;
  const pattern = useEditor((state) => valueOf(state, "tile.join.pattern"));
  const grown = pattern < 100 && GROWING.has(method);
  const cut = useEditor((state) => valueOf(state, "tile.cutout.on")) === true;
  const tiling = useTiling(material);
  const joins = useMarking((state) => state.joins);
  const first = useViews((state) => state.setups.tile.first.what);
  return (
    <>
      <CutOut material={material} />
      {!cut && <Suggested material={material} />}
      {!cut && <MethodRow material={material} />}
      {!cut && <p className="pb-1 text-[12px] text-soft">{ABOUT[method]}</p>}
      {SETTINGS[method].map((name) => (
        <Setting key={name} path={`tile.join.${name}`} />
      ))}
      {method !== "none" && (
        <>
          {/* Whole repeats fit the tile at 100 %. */}
          {(method !== "lattice" || pattern !== 100) && <Setting path="tile.join.pattern" />}
          {pattern < 100 && !grown && (
            <p className="pb-1 text-[12px] text-soft">
              There is no more of the sample than 100 %: choose Regrow, Strew or Stochastic to make more of it.
            </p>
          )}
          {method === "regrow" && grown && (
            <p className="pb-1 text-[12px] text-soft">A tile larger than the sample begins with blocks.</p>
          )}
          {!cut && <ExtendedInstead material={material} pattern={pattern} />}
          {grown && <KeptWhenGrown material={material} />}
          {method === "stochastic" && tiling && tiling.against_mixing && (
            <p role="note" className="flex gap-2 py-1">
              <Level level="attention" word={false} />{" "}
              <span>{tiling.against_mixing} Patches will show through each other.</span>
            </p>
          )}
          <label className="flex h-8 items-center justify-between">
            Show joins and pieces
            <Switch
              label="Show joins and pieces"
              checked={joins}
              onChange={(on) => useMarking.setState({ joins: on })}
            />
          </label>
          {joins && method === "stochastic" && (
            <p className="pb-1 text-[12px] text-soft">Mixing leaves no joins to show.</p>
          )}
          {joins && method !== "stochastic" && (
            <p className="pb-1 text-[12px] text-soft">
              Each tint is one part of the sample
              {method === "joints" && "; each outline on the sample is a piece that was found"}.{" "}
              <button
                type="button"
                className="underline"
                onClick={() =>
                  setView(
                    "first",
                    first === "squared" ? { what: "base_color", how: "shifted" } : { what: "squared", how: "single" },
                  )
                }
              >
                {first === "squared" ? "Show the tile" : "Show them on the sample"}
              </button>
            </p>
          )}
        </>
      )}
      {!cut && <StandingOut material={material} />}
      {!cut && <TileSet material={material} />}
      <Brushes material={material} />
      {!cut && <DoesItTile material={material} />}
    </>
  );
}
