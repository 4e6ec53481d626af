import { Sparkles } from "lucide-react";
import { capturedWidth } from "../../editor/finished";
import { change, useEditor, valueOf } from "../../editor/store";
import type { Material, SettingPath } from "../../api/types";
import { Button } from "../../ui/Button";
import { Choice } from "../../ui/Choice";
import { Facts } from "../../ui/Facts";
import { Fold } from "../../ui/Fold";
import { Operation } from "../Operation";
import { Setting } from "../Setting";
import { Enlarged } from "./Enlarged";
import { chooseTool, lookForCorners, solveBend, type Tool, useTool } from "./tool";

const TOOLS: { value: Tool; label: string; hint: string }[] = [
  { value: "crop", label: "Crop", hint: "Drag the part to use" },
  { value: "corners", label: "Corners", hint: "Flatten by four corners" },
  { value: "level", label: "Level", hint: "Straighten by a drawn line" },
  { value: "bend", label: "Bend", hint: "Take out the lens by marked lines" },
];
const SIZES = [512, 1024, 2048, 4096, 8192, 16384];
const EDGES = ["left", "top", "right", "bottom"] as const;
const crop = (edge: string) => `square.crop.${edge}` as SettingPath;

export function Square({ material }: { material: Material }) {
  const state = useEditor();
  const width = valueOf(state, "square.size.width") as number;
  const height = valueOf(state, "square.size.height") as number;
  const { tile_mm } = material.preview;
  const tilePx = capturedWidth(material);
  const gain = width / tilePx;
  const fineChanges = ["square.flat", "square.lens"].reduce(
    (sum, id) =>
      sum + Object.keys(material.recipe.operations[id] ?? {}).filter((name) => name !== "turn" && name !== "k1").length,
    0,
  );
  const put = (label: string, values: Record<(typeof EDGES)[number], number>) =>
    change(Object.fromEntries(EDGES.map((edge) => [crop(edge), values[edge]])), label);
  const { tool, looking, lines } = useTool();
  const solvable = lines.some((line) => line.length >= 3);
  return (
    <>
      <Choice label="On the photograph" value={tool} options={TOOLS} onChange={chooseTool} stretch />
      {tool === "corners" && (
        <div className="flex flex-col gap-1.5 pt-2">
          <p className="text-[12px] text-soft">
            Put the corners on something flat and rectangular. Arrow keys nudge a corner, with Shift finely.
          </p>
          <Button disabled={looking} onClick={() => void lookForCorners(material.id)}>
            <Sparkles size={13} /> {looking ? "Looking for lines at right angles …" : "Find them"}
          </Button>
        </div>
      )}
      {tool === "bend" && (
        <div className="flex gap-1.5 pt-2">
          <Button look="main" disabled={!solvable} onClick={() => void solveBend(material.id)}>
            Solve
          </Button>
          <Button
            disabled={(lines.at(-1)?.length ?? 0) < 3}
            onClick={() => useTool.setState({ lines: [...lines, []] })}
          >
            Another line
          </Button>
          <Button look="quiet" onClick={() => useTool.setState({ lines: [[]] })}>
            Clear
          </Button>
        </div>
      )}
      <div className="pt-1">
        <Setting path="square.flat.turn" />
        <Setting path="square.lens.k1" />
        <Fold title="Lens and corners, finely" note={fineChanges ? `${fineChanges} changed` : ""}>
          <Operation id="square.lens" without={["k1"]} flat />
          <Operation id="square.flat" without={["turn"]} flat />
        </Fold>
      </div>
      <h3 className="flex border-t border-line items-center justify-between pt-1 font-medium">
        Crop
        <span className="flex gap-1">
          <Button
            look="quiet"
            className="h-6 px-1.5 text-[12px]"
            onClick={() => put("Whole picture", { left: 0, top: 0, right: 100, bottom: 100 })}
          >
            Whole
          </Button>
          <Button
            look="quiet"
            className="h-6 px-1.5 text-[12px]"
            onClick={() => put("Middle of the picture", { left: 15, top: 15, right: 85, bottom: 85 })}
          >
            Middle
          </Button>
        </span>
      </h3>
      <p className="pb-1 text-[12px] text-soft">
        Drag the handles on the photograph. The broken line is the tile; what lies beyond it is used up by the overlap.
      </p>
      <Fold
        title="Edges"
        note={EDGES.map((edge) => (valueOf(state, crop(edge)) as number).toFixed(0)).join(" · ") + " %"}
      >
        {EDGES.map((edge) => (
          <Setting key={edge} path={crop(edge)} />
        ))}
      </Fold>
      <div className="border-t border-line pt-2">
        <h3 className="font-medium">Tile size</h3>
        <div className="grid grid-cols-3 gap-1 py-1.5">
          {SIZES.map((size) => (
            <Button
              key={size}
              aria-pressed={width === size && height === size}
              look={width === size && height === size ? "main" : "plain"}
              className="figures h-6 px-1"
              onClick={() =>
                change({ "square.size.width": size as 1024, "square.size.height": size as 1024 }, `${size} px`)
              }
            >
              {size}
            </Button>
          ))}
        </div>
        <Operation id="square.size" />
        <Facts
          rows={[
            ["Taken from", `${tilePx.toFixed(0)} px of the picture`],
            [
              "Scale",
              `${gain.toFixed(2)} ×${gain > 1.05 ? `, ${Math.round(100 * (1 - 1 / gain ** 2))} % made up` : ""}`,
            ],
            ["Texel density", tile_mm ? `${(width / tile_mm).toFixed(2)} px/mm` : "real width unknown"],
          ]}
        />
        {gain > 1.05 && <Setting path="square.crop.resampling" />}
        {gain > 1.05 && ["learnt", "detail"].includes(valueOf(state, "square.crop.resampling")) && (
          <Enlarged material={material} />
        )}
        {gain > 1.3 && (
          <p className="text-[12px] text-soft">
            The picture holds less detail than maps of this size. {`${2 ** Math.floor(Math.log2(tilePx))} px`} would
            keep all of it.
          </p>
        )}
      </div>
    </>
  );
}
