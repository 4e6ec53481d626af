/** Painting a value on a map, round the edges of the tile. */
import { Brush } from "lucide-react";
import type { MapRole, Material } from "../../api/types";
import { useEditor, valueOf } from "../../editor/store";
import { Button } from "../../ui/Button";
import { Choice } from "../../ui/Choice";
import { Fold } from "../../ui/Fold";
import { Pick } from "../../ui/Pick";
import { layerName } from "../../views/names";
import { BrushTools, Plain } from "./BrushTools";
import { draw, isColoured, type Kind, strokesPath, useDrawing } from "./drawing";

const KINDS: { value: Kind; label: string }[] = [
  { value: "set", label: "Set" },
  { value: "add", label: "Add" },
  { value: "smooth", label: "Smooth" },
];

export function Paint({ material, roles }: { material: Material; roles: MapRole[] }) {
  const { task, kind, value, colour, strength, soft } = useDrawing();
  const count = useEditor((state) => roles.reduce((sum, role) => sum + valueOf(state, strokesPath(role)).length, 0));
  const on = task?.on === "map" && roles.includes(task.role) ? task : null;
  const role = on?.role ?? roles[0]!;
  const coloured = isColoured(role);
  return (
    <Fold title="Paint" note={count ? `${count} ${count === 1 ? "stroke" : "strokes"}` : ""}>
      <div className="flex items-center justify-between gap-2 py-1">
        {roles.length > 1 ? (
          <Pick
            label="Map to paint"
            value={role}
            groups={[{ options: roles.map((id) => ({ value: id, label: layerName(id) })) }]}
            onChange={(next) => draw({ on: "map", role: next })}
          />
        ) : (
          <span>{layerName(role)}</span>
        )}
        <Button
          look={on ? "main" : undefined}
          aria-pressed={on !== null}
          onClick={() => draw(on ? null : { on: "map", role })}
        >
          <Brush size={13} /> {on ? "Painting" : "Paint"}
        </Button>
      </div>
      {on && (
        <div className="rounded-card bg-raised px-2.5 py-2">
          <div className="flex items-center justify-between py-0.5">
            <span>It</span>
            <Choice
              label="What painting does"
              value={kind}
              options={coloured ? KINDS.filter((k) => k.value !== "add") : KINDS}
              onChange={(next) => useDrawing.setState({ kind: next, value: next === "add" ? 0.1 : 0.5 })}
            />
          </div>
          {kind !== "smooth" &&
            (coloured ? (
              <label className="flex h-8 items-center justify-between">
                Colour
                <input
                  type="color"
                  aria-label="Colour to paint"
                  value={colour}
                  onChange={(event) => useDrawing.setState({ colour: event.target.value })}
                  className="h-6 w-12 rounded-[5px] border border-line bg-ground"
                />
              </label>
            ) : (
              <Plain
                label="Value to paint"
                shown={kind === "add" ? "By" : "To"}
                text={value.toFixed(2)}
                value={value}
                min={kind === "add" ? -0.5 : 0}
                max={kind === "add" ? 0.5 : 1}
                step={0.01}
                onChange={(next) => useDrawing.setState({ value: next })}
              />
            ))}
          <Plain
            label="Strength of the brush"
            shown="Strength"
            text={`${Math.round(strength * 100)} %`}
            value={strength}
            min={0.05}
            max={1}
            step={0.05}
            onChange={(next) => useDrawing.setState({ strength: next })}
          />
          <Plain
            label="Softness of the brush"
            shown="Softness"
            text={`${Math.round(soft * 100)} %`}
            value={soft}
            min={0}
            max={1}
            step={0.05}
            onChange={(next) => useDrawing.setState({ soft: next })}
          />
          <BrushTools material={material} task={on} />
        </div>
      )}
    </Fold>
  );
}
