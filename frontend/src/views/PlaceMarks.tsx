/** Places that stand out (broken rings), filled ones (thin rings) and broken pieces (red frames), drawn on the tile;
 * clicks mark places by hand. */
import { useFigures, usePlaces } from "../editor/figures";
import type { Material } from "../api/types";
import { fill, standsOut, useMarking } from "../stages/tile/marking";
import { drawsOnTile, useBrush } from "../stages/tile/brush";
import type { Transform } from "./space";
import { tileSetOf } from "./useTileSet";

/** shift: how far the tile is wrapped round in this view. */
export function PlaceMarks({ material, t, shift }: { material: Material; t: Transform; shift: number }) {
  const found = usePlaces(material);
  const broken = useFigures(material)?.broken?.boxes ?? [];
  const { marking, radius, busy } = useMarking();
  // Fills lie on the tile that those of a set are made of; what is seen on one of them is not seen there.
  const set = tileSetOf(material).count > 1;
  const joined = useBrush(drawsOnTile) && set;
  const wrapped = (v: number) => (((v + shift) % 1) + 1) % 1;
  const [left, top] = t.toScreen(0, 0);
  const [perTile, down] = [t.toScreen(1, 0)[0] - left, t.toScreen(0, 1)[1] - top];
  const ring = (place: { x: number; y: number; radius: number }) => {
    const [cx, cy] = t.toScreen(wrapped(place.x), wrapped(place.y));
    return { cx, cy, r: Math.max(place.radius * perTile * 1.3, 5), fill: "none" };
  };
  return (
    <>
      <svg aria-hidden className="pointer-events-none absolute inset-0 size-full" data-testid="places">
        {(set ? [] : (found?.filled ?? [])).map((place, i) => (
          <circle key={i} {...ring(place)} stroke="#fff" strokeOpacity="0.55" strokeWidth="1" strokeDasharray="1 3" />
        ))}
        {(joined ? [] : broken).map(([x, y, wide, high], i) => {
          const [px, py] = t.toScreen(wrapped(x), wrapped(y));
          const at = { x: px - 3, y: py - 3, width: wide * perTile + 6, height: high * down + 6, fill: "none" };
          return (
            <g key={`broken/${i}`} data-testid="broken-piece">
              <rect {...at} stroke="#000" strokeWidth="3.500" />
              <rect {...at} stroke="var(--stop)" strokeWidth="2" />
            </g>
          );
        })}
        {found &&
          !joined &&
          standsOut(found).map((place) => (
            <g key={`${place.x}/${place.y}`} data-testid={place.points.length > 0 ? "line" : "place"}>
              {place.points.length > 0 ? (
                // The line itself stays to be seen between the two that mark it.
                place.points.map(([x, y], i) => (
                  <g key={i}>
                    <circle {...ring({ x, y, radius: place.radius })} stroke="#000" strokeWidth="3" />
                    <circle {...ring({ x, y, radius: place.radius })} stroke="var(--amber)" strokeWidth="1.500" />
                  </g>
                ))
              ) : (
                <>
                  <circle {...ring(place)} stroke="#000" strokeWidth="3.500" />
                  <circle {...ring(place)} stroke="var(--amber)" strokeWidth="2" strokeDasharray="6 4" />
                </>
              )}
            </g>
          ))}
      </svg>
      {marking && (
        <div
          data-testid="marking"
          className={`absolute inset-0 ${busy ? "cursor-progress" : "cursor-crosshair"}`}
          onPointerDown={(event) => event.stopPropagation()}
          onClick={(event) => {
            const bounds = event.currentTarget.getBoundingClientRect();
            const [x, y] = t.toTile(event.clientX - bounds.left, event.clientY - bounds.top);
            if (x >= 0 && y >= 0 && x <= 1 && y <= 1 && !busy)
              void fill(material.id, [{ x: wrapped(x - 2 * shift), y: wrapped(y - 2 * shift), radius }]);
          }}
        />
      )}
    </>
  );
}
