/** Outlines of materials that were found, over the tile, before they are taken as zones. */
import type { Material } from "../api/types";
import { useZones } from "../stages/response/zones";
import type { Box, Transform } from "./space";

interface Props {
  material: Material;
  box: Box;
  t: Transform;
  /** How far the tile is wrapped round in this view. */
  shift: number;
}

export function ZonesFound({ material, box, t, shift }: Props) {
  const offered = useZones((state) => state.offered);
  if (offered?.material !== material.id) return null;
  const [left, top] = t.toScreen(box.left, box.top);
  const [right, bottom] = t.toScreen(box.left + box.width, box.top + box.height);
  const [width, height] = [right - left, bottom - top];
  // Where all are marked, the border of the largest is that of the others.
  const marked = offered.marked.length > 1 ? offered.marked.filter((number) => number > 0) : offered.marked;
  const lines = marked
    .flatMap((number) => offered.found[number]?.outline ?? [])
    .map((line) => `M${line.map(([x, y]) => `${(x * width).toFixed(1)} ${(y * height).toFixed(1)}`).join("L")}Z`)
    .join("");
  // As a background it wraps with the tile.
  const picture =
    `<svg xmlns="http://www.w3.org/2000/svg" width="${width}" height="${height}" fill="none">` +
    `<path d="${lines}" stroke="#000" stroke-width="3"/><path d="${lines}" stroke="#fff" stroke-width="1.2"/></svg>`;
  return (
    <div
      aria-hidden
      data-testid="zones-found"
      className="pointer-events-none absolute"
      style={{
        left,
        top,
        width,
        height,
        backgroundImage: `url("data:image/svg+xml,${encodeURIComponent(picture)}")`,
        backgroundSize: `${width}px ${height}px`,
        backgroundPosition: `${shift * width}px ${shift * height}px`,
      }}
    />
  );
}
