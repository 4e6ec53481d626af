/** The tile plan laid over a picture: join lines, and one tint for each piece of the sample. */
import type { LayerId, Material } from "../api/types";
import type { Box, Transform } from "./space";

interface Props {
  material: Material;
  layer: LayerId;
  box: Box;
  t: Transform;
  /** How far the tile is wrapped round in this view. */
  shift: number;
}

export function Joins({ material, layer, box, t, shift }: Props) {
  const where = layer === "squared" || layer === "evened" ? "sample" : "tile";
  const [left, top] = t.toScreen(box.left, box.top);
  const [right, bottom] = t.toScreen(box.left + box.width, box.top + box.height);
  const [width, height] = [right - left, bottom - top];
  return (
    <div
      aria-hidden
      data-testid="joins"
      className="pointer-events-none absolute"
      style={{
        left,
        top,
        width,
        height,
        backgroundImage: `url(/api/materials/${material.id}/joins/${where}.png?key=${material.pictures.joins}&follow=1)`,
        backgroundSize: `${width}px ${height}px`,
        backgroundPosition: `${shift * width}px ${shift * height}px`,
      }}
    />
  );
}
