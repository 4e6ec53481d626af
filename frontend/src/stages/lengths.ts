/** Settings in per cent of the tile, shown as px and mm as well. */
import type { Material, SettingInfo, Value } from "../api/types";
import { finishedWidth } from "../editor/finished";

export function lengthText(info: SettingInfo, value: number, material: Material): string {
  if (info.unit !== "% of tile") return "";
  const px = (value / 100) * finishedWidth(material);
  const mm = material.preview.tile_mm === null ? null : (value / 100) * material.preview.tile_mm;
  const places = (n: number) => (n < 10 ? n.toFixed(1) : n.toFixed(0));
  return `${places(px)} px${mm === null ? "" : ` · ${places(mm)} mm`}`;
}

export function valueText(info: SettingInfo, value: Value): string {
  if (typeof value === "boolean") return value ? "on" : "off";
  if (info.kind === "choice") return info.choices.find((c) => c.value === value)?.label ?? String(value);
  if (typeof value === "string") return value || "–";
  const step = info.step ?? 1;
  const crumbs = Math.abs(value / step - Math.round(value / step)) > 1e-6;
  const places = info.integer ? 0 : Math.max(0, Math.min(4, Math.ceil(-Math.log10(step) - 1e-9) + (crumbs ? 1 : 0)));
  return value.toFixed(places).replace("-", "−");
}

/** The unit as it stands behind a number. */
export const unitText = (unit: string): string => (unit.startsWith("%") ? "%" : unit);
