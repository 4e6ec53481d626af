import type { MapRole, Material } from "../api/types";
import { Choice } from "../ui/Choice";
import { Slider } from "../ui/Slider";
import { Switch } from "../ui/Switch";
import { LAYER_NAMES } from "../views/names";
import { type Surroundings, useLit } from "./state";

const SURROUNDINGS: { value: Surroundings; label: string }[] = [
  { value: "studio", label: "Studio" },
  { value: "overcast", label: "Overcast" },
];
const MAPS: MapRole[] = ["base_color", "normal", "roughness", "metallic", "ambient_occlusion", "height"];

export function LitOptions({ material }: { material: Material }) {
  const setup = useLit();
  const set = useLit.setState;
  const rows: { label: string; key: "displacement" | "lamp" | "exposure" | "repeat"; min: number; max: number; step: number; mark: number; text: string }[] = [
    { label: "Displacement", key: "displacement", min: 0, max: 300, step: 5, mark: 100, text: `${setup.displacement} %` },
    { label: "Repeats", key: "repeat", min: 1, max: 8, step: 1, mark: 2, text: `${setup.repeat} ×` },
    { label: "Lamp", key: "lamp", min: 0, max: 6, step: 0.1, mark: 1, text: setup.lamp.toFixed(1) },
    { label: "Exposure", key: "exposure", min: -3, max: 3, step: 0.1, mark: -0.4, text: `${setup.exposure.toFixed(1)} EV` },
  ];
  return (
    <div className="flex flex-col gap-2.5">
      <div className="flex items-center justify-between">
        <span>Surroundings</span>
        <Choice label="Surroundings" value={setup.surroundings} options={SURROUNDINGS} onChange={(surroundings) => set({ surroundings })} />
      </div>
      {rows.map((row) => (
        <div key={row.key} className="grid grid-cols-[92px_1fr_52px] items-center gap-2">
          <span>{row.label}</span>
          <Slider label={row.label} value={setup[row.key]} min={row.min} max={row.max} step={row.step} mark={row.mark} valueText={row.text} onChange={(value) => set({ [row.key]: value })} onReset={() => set({ [row.key]: row.mark })} />
          <span className="figures text-right">{row.text}</span>
        </div>
      ))}
      <p className="border-t border-line pt-2 text-soft">Maps that take part</p>
      <div className="grid grid-cols-2 gap-x-4 gap-y-1.5">
        {MAPS.map((role) => (
          <label key={role} className="flex items-center justify-between gap-2">
            <span>{LAYER_NAMES[role]}</span>
            <Switch label={`${LAYER_NAMES[role]} takes part`} checked={!setup.off.includes(role)} onChange={(on) => set({ off: on ? setup.off.filter((r) => r !== role) : [...setup.off, role] })} />
          </label>
        ))}
      </div>
      <p className="text-[12px] text-soft">{material.preview.tile_mm ? `One tile is ${material.preview.tile_mm.toFixed(0)} mm wide; 100 % displaces by the true depth.` : "100 % displaces by the depth that the normal map shows."}</p>
    </div>
  );
}
