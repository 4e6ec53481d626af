/** Drawing on the tile in Relief and Response, and picking colours for a zone. */
import { useRef } from "react";
import type { Material } from "../api/types";
import { addDrawn, eraseDrawn, putPoints, useDrawing, useStrokesOf } from "../stages/response/drawing";
import { pickColour, useZones } from "../stages/response/zones";
import { pickLeftOut, useLeavingOut } from "../stages/tile/brush";
import { pickGround, useCut } from "../stages/tile/cut";
import type { Point } from "./capture";
import { StrokePad } from "./StrokePad";
import type { Transform } from "./space";

interface Props {
  material: Material;
  t: Transform;
  shift: number;
}

export function DrawLayer({ material, t, shift }: Props) {
  const { task, outline, radius, chosen } = useDrawing();
  const zone = useZones((state) => state.picking);
  const ground = useCut((state) => state.picking);
  const leaving = useLeavingOut((state) => state.picking);
  const picking = ground ? ({ list: "ground" } as const) : leaving ? ({ list: "leaving" } as const) : zone;
  const pick = ground ? pickGround : leaving ? pickLeftOut : pickColour;
  const strokes = useStrokesOf(task);
  const dragged = useRef<{ gesture: string; points: Point[] } | null>(null);
  if (picking) {
    return (
      <div
        data-testid="picking"
        className="absolute inset-0 cursor-crosshair"
        onPointerDown={(event) => {
          if (event.button !== 0) return;
          event.stopPropagation();
          const bounds = event.currentTarget.getBoundingClientRect();
          const [x, y] = t.toTile(event.clientX - bounds.left, event.clientY - bounds.top);
          void pick(material.id, [x - shift, y - shift]);
        }}
      >
        <p className="pointer-events-none absolute top-3 left-1/2 max-w-[90%] -translate-x-1/2 rounded-card bg-ground/90 px-3 py-1 text-center">
          {picking.list === "ground"
            ? "Click colours of the ground; Esc ends it."
            : picking.list === "leaving"
              ? "Click colours that must not be used; Esc ends it."
              : picking.list === "picks"
                ? "Click colours that belong to the zone; Esc ends it."
                : "Click colours that do not belong to it; Esc ends it."}
        </p>
      </div>
    );
  }
  if (!task) return null;
  const held = chosen !== null ? strokes[chosen] : undefined;
  return (
    <StrokePad
      t={t}
      shift={shift}
      marks={held ? [{ ...held, ink: "#fff", strong: true }] : []}
      brush={held ? null : { radius, outline, ink: "#fff" }}
      held={held !== undefined}
      onDraw={addDrawn}
      onErase={eraseDrawn}
      onMove={([dx, dy], gesture) => {
        if (chosen === null || !held) return;
        if (dragged.current?.gesture !== gesture) dragged.current = { gesture, points: held.points };
        putPoints(
          task,
          chosen,
          dragged.current.points.map(([x, y]): Point => [x + dx, y + dy]),
          gesture,
        );
      }}
    />
  );
}
