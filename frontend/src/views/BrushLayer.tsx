/** The brushes of Tile on a view. */
import { useRef } from "react";
import type { LayerId, Material } from "../api/types";
import { addStroke, copies, eraseStrokes, putStroke, useBrush, useStrokes } from "../stages/tile/brush";
import { onSample, pathOf, shifted, type Stroke } from "../stages/tile/strokes";
import { StrokePad } from "./StrokePad";
import { type Transform, wraps } from "./space";

interface Props {
  material: Material;
  layer: LayerId;
  t: Transform;
  shift: number;
}

const INK: Record<Stroke["tool"], string> = {
  excluded: "#000",
  kept: "#fff",
  one_piece: "#fff",
  split_piece: "#000",
  clone: "#fff",
  heal: "#fff",
  fill: "#fff",
};

export function BrushLayer({ material, layer, t, shift }: Props) {
  const { tool, outline, radius, source, aiming, chosen } = useBrush();
  const strokes = useStrokes(material);
  const dragged = useRef<{ gesture: string; stroke: Stroke } | null>(null);
  const tile = wraps(layer);
  const here = (name: Stroke["tool"]) => onSample(name) !== tile;
  const drawing = tool !== null && here(tool);
  const held =
    chosen && here(chosen.tool)
      ? strokes.find((stroke) => stroke.index === chosen.index && pathOf(stroke.tool) === pathOf(chosen.tool))
      : undefined;
  const shown = tile ? (held ? [held] : []) : strokes.filter((stroke) => onSample(stroke.tool));
  return (
    <StrokePad
      t={t}
      shift={shift}
      marks={shown.map((stroke) => ({
        radius: stroke.radius,
        points: stroke.points,
        pressure: stroke.pressure,
        ink: INK[stroke.tool],
        strong: stroke === held,
      }))}
      brush={drawing ? { radius, outline, ink: INK[tool] } : null}
      held={held !== undefined}
      aiming={copies(tool) && (aiming || !source)}
      source={copies(tool) ? source : null}
      onAim={(at) => useBrush.setState({ source: at, aiming: false })}
      onDraw={(points, pressure) => addStroke(material, points, pressure)}
      onErase={(points, radius) => eraseStrokes(material, points, radius)}
      onMove={(by, gesture) => {
        if (!chosen || !held) return;
        if (dragged.current?.gesture !== gesture) dragged.current = { gesture, stroke: held };
        putStroke(material, chosen.index, shifted(dragged.current.stroke, by), "Stroke moved", gesture);
      }}
    />
  );
}
