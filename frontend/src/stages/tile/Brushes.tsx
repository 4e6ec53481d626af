/** The brushes of Tile: what to leave out or keep of the sample, and repairs on the tile. */
import type { KeyboardEvent } from "react";
import {
  Brush,
  CircleSlash2,
  Combine,
  Copy,
  Crosshair,
  HeartPulse,
  PaintBucket,
  Pipette,
  Shield,
  Split,
  X,
} from "lucide-react";
import { useEditor, valueOf } from "../../editor/store";
import type { Material } from "../../api/types";
import { arrowStep } from "../../ui/arrows";
import { Button } from "../../ui/Button";
import { Choice } from "../../ui/Choice";
import { cx } from "../../ui/cx";
import { Slider } from "../../ui/Slider";
import { Swatches } from "../../ui/Swatches";
import { setView } from "../../views/state";
import { Setting } from "../Setting";
import {
  copies,
  dropStroke,
  putColoursLeftOut,
  putStroke,
  takeBrush,
  TOOL_HELP,
  TOOL_NAMES,
  useBrush,
  useLeavingOut,
  useStrokes,
} from "./brush";
import { pathOf, shifted, type Stroke, type Tool } from "./strokes";

const ICONS: Record<Tool, typeof Brush> = {
  excluded: CircleSlash2,
  kept: Shield,
  one_piece: Combine,
  split_piece: Split,
  clone: Copy,
  heal: HeartPulse,
  fill: PaintBucket,
};
const GROUPS: { title: string; tools: Tool[] }[] = [
  { title: "Sample", tools: ["excluded", "kept"] },
  { title: "Pieces", tools: ["one_piece", "split_piece"] },
  { title: "Tile", tools: ["clone", "heal", "fill"] },
];

/** Whether a brush has nothing to work on with this method. */
const idle = (tool: Tool, method: string) =>
  (tool === "excluded" && /none|blend/.test(method)) || (tool === "kept" && /none|blend|strew|stochastic/.test(method));

/** Colours of the sample that are left out, whatever is drawn. */
function LeftOutColours() {
  const colours = useEditor((state) => valueOf(state, "tile.join.excluded_colours"));
  const picking = useLeavingOut((state) => state.picking);
  return (
    <>
      <div className="flex min-h-8 flex-wrap items-center gap-1.5">
        <span className="flex-1 text-[12px] text-soft">Leave out by colour</span>
        <Swatches
          colours={colours}
          from="what is left out"
          onDrop={(index) =>
            putColoursLeftOut(
              colours.filter((_, i) => i !== index),
              "Colour used again",
            )
          }
        />
        <Button
          look={picking ? "main" : undefined}
          aria-pressed={picking}
          className="h-6.5 px-1.5 text-[12px]"
          onClick={() => {
            useLeavingOut.setState({ picking: !picking });
            if (!picking) setView("first", { what: "base_color", how: "single" });
          }}
        >
          <Pipette size={13} /> Pick
        </Button>
      </div>
      {colours.length > 0 && <Setting path="tile.join.excluded_tolerance" />}
    </>
  );
}

export function Brushes({ material }: { material: Material }) {
  const { tool, outline, radius, source, aiming, chosen } = useBrush();
  const method = useEditor((state) => valueOf(state, "tile.join.method"));
  const per = material.preview.finished[0];
  const rows = useStrokes(material);
  const held = chosen && rows.find((row) => row.index === chosen.index && pathOf(row.tool) === pathOf(chosen.tool));
  const size = held ? held.radius : radius;
  const resize = (next: number) => {
    if (!chosen || !held) return useBrush.setState({ radius: next });
    putStroke(
      material,
      chosen.index,
      { ...held, radius: next },
      "Size of the stroke",
      `size-${chosen.tool}-${chosen.index}`,
    );
  };
  const nudge = (event: KeyboardEvent, stroke: Stroke, index: number) => {
    const by = arrowStep(event, 0.005, 0.0005);
    if (by) putStroke(material, index, shifted(stroke, by), "Stroke moved");
  };
  return (
    <section aria-label="Brushes" className="mt-2 border-t border-line pt-2">
      <h3 className="font-medium">Brushes</h3>
      {GROUPS.filter((group) => group.title !== "Pieces" || method === "joints").map((group) => (
        <div key={group.title} className="flex items-center justify-between py-1">
          <span className="text-[12px] text-soft">{group.title}</span>
          <span className="flex gap-1">
            {group.tools.map((name) => {
              const Icon = ICONS[name];
              return (
                <Button
                  key={name}
                  look={tool === name ? "main" : undefined}
                  aria-pressed={tool === name}
                  disabled={idle(name, String(method))}
                  title={
                    idle(name, String(method))
                      ? `Does nothing with ${String(method)}: choose cut, lattice, joints or regrow.`
                      : TOOL_HELP[name]
                  }
                  className="h-6.5 px-1.5 text-[12px]"
                  onClick={() => takeBrush(tool === name ? null : name)}
                >
                  <Icon size={13} /> {TOOL_NAMES[name]}
                </Button>
              );
            })}
          </span>
        </div>
      ))}
      {!idle("excluded", String(method)) && <LeftOutColours />}
      {tool && (
        <div className="rounded-card bg-raised px-2.5 py-2">
          <p className="pb-1 text-[12px] text-soft">
            {TOOL_HELP[tool]} Esc lays the brush down; the middle button moves the view.
          </p>
          <div className="flex items-center justify-between py-0.5">
            <span>Shape</span>
            <Choice
              label="Shape of the brush"
              value={outline ? "outline" : "stroke"}
              options={[
                { value: "stroke", label: "Stroke" },
                { value: "outline", label: "Outline" },
              ]}
              onChange={(shape) => useBrush.setState({ outline: shape === "outline" })}
            />
          </div>
          {copies(tool) && (
            <div className="flex items-center justify-between py-0.5">
              <span>Copies from</span>
              <Button
                className="h-6 px-1.5 text-[12px]"
                aria-pressed={aiming}
                onClick={() => useBrush.setState({ aiming: !aiming })}
              >
                <Crosshair size={13} />{" "}
                {aiming
                  ? "Click the place"
                  : source
                    ? `${Math.round((((source[0] % 1) + 1) % 1) * per)}, ${Math.round((((source[1] % 1) + 1) % 1) * material.preview.finished[1])} px`
                    : "Choose"}
              </Button>
            </div>
          )}
        </div>
      )}
      {((tool && !outline) || (held && held.radius > 0)) && (
        <div className="py-1">
          <p className="flex justify-between">
            <span>{held ? "Size of the stroke" : "Size of the brush"}</span>
            <span className="figures">{Math.round(size * 2 * per)} px</span>
          </p>
          <Slider
            label="Size of the brush"
            value={size * 100}
            min={0.4}
            max={15}
            step={0.1}
            valueText={`${Math.round(size * 2 * per)} px`}
            onChange={(next) => resize(next / 100)}
          />
        </div>
      )}
      {rows.length > 0 && (
        <ul aria-label="Strokes" className="flex max-h-40 flex-col overflow-y-auto py-1">
          {rows.map((stroke) => {
            const { index } = stroke;
            const Icon = ICONS[stroke.tool];
            const on = stroke === held;
            return (
              <li
                key={`${pathOf(stroke.tool)}${index}`}
                className={cx("flex h-7 items-center justify-between gap-2 rounded-[5px] px-1", on && "bg-raised")}
              >
                <button
                  type="button"
                  aria-pressed={on}
                  onKeyDown={(event) => on && nudge(event, stroke, index)}
                  className="flex flex-1 items-center gap-2 text-left"
                  onClick={() =>
                    useBrush.setState({ tool: null, aiming: false, chosen: on ? null : { tool: stroke.tool, index } })
                  }
                >
                  <Icon size={13} className="text-soft" /> {TOOL_NAMES[stroke.tool]}
                  <span className="figures text-soft">
                    {stroke.radius ? `${Math.round(stroke.radius * 2 * per)} px` : "outline"}
                  </span>
                </button>
                <button
                  type="button"
                  aria-label={`Take ${TOOL_NAMES[stroke.tool]} back`}
                  className="rounded-[5px] p-1 text-soft hover:bg-lifted hover:text-text"
                  onClick={() => dropStroke(material, stroke.tool, index)}
                >
                  <X size={13} />
                </button>
              </li>
            );
          })}
        </ul>
      )}
      {chosen && held && (
        <p className="text-[12px] text-soft">
          Drag the marked stroke in the first view to move it, or use the arrow keys.
        </p>
      )}
    </section>
  );
}
