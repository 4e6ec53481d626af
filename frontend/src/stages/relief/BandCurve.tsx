/** Detail by size: one handle a size band, dragged up for more relief of that size, or more contrast in it. */
import { type KeyboardEvent, type PointerEvent, useRef, useState } from "react";
import { change, useEditor, valueOf } from "../../editor/store";
import type { Material, SettingPath } from "../../api/types";
import { Choice } from "../../ui/Choice";
import { useHelp } from "../help";

/** Middle size of each band as a share of the tile width; edges as in the core. */
const BANDS = [
  { name: "finest", label: "Finest", size: 0.005 },
  { name: "fine", label: "Fine", size: 0.014 },
  { name: "small", label: "Small", size: 0.028 },
  { name: "medium", label: "Medium", size: 0.058 },
  { name: "large", label: "Large", size: 0.13 },
  { name: "largest", label: "Largest", size: 0.35 },
] as const;
const [WIDE, TALL, PAD, MOST] = [284, 118, 14, 3];
/** What a handle sets, and between which ends. */
const WHAT = {
  gain: { suffix: "", least: 0, label: "detail" },
  contrast: { suffix: "_contrast", least: 0.3, label: "contrast" },
} as const;
type What = keyof typeof WHAT;
const path = (name: string, what: What) => `relief.bands.${name}${WHAT[what].suffix}` as SettingPath;
const xAt = (number: number) => PAD + (number / (BANDS.length - 1)) * (WIDE - 2 * PAD);
// Square root spacing: the usual gains, 0 to 1.5, get most of the room.
const yAt = (gain: number) => TALL - 8 - Math.sqrt(gain / MOST) * (TALL - 20);
const gainAt = (y: number) => Math.round(Math.min(1, Math.max(0, (TALL - 8 - y) / (TALL - 20))) ** 2 * MOST * 20) / 20;

export function BandCurve({ material }: { material: Material }) {
  const state = useEditor();
  const show = useHelp((state) => state.show);
  const area = useRef<SVGSVGElement>(null);
  const gesture = useRef("");
  const declared = state.about?.operations.find((o) => o.id === "relief.bands")?.settings;
  const [what, setWhat] = useState<What>("gain");
  const other: What = what === "gain" ? "contrast" : "gain";
  const { label, least, suffix } = WHAT[what];
  const usual = (name: string) => (declared?.find((s) => s.name === name + suffix)?.default as number | undefined) ?? 1;
  const valuesOf = (of: What) => BANDS.map((band) => valueOf(state, path(band.name, of)) as number);
  const gains = valuesOf(what);
  const mm = material.preview.tile_mm;
  const sizeText = (share: number) => {
    const size = mm === null ? share * 100 : share * mm;
    return size < 10 ? size.toFixed(1) : size.toFixed(0);
  };
  const take = (number: number, gain: number) => {
    if (gain !== gains[number])
      change({ [path(BANDS[number]!.name, what)]: gain }, `${BANDS[number]!.label} ${label}`, gesture.current);
  };
  const drag = (number: number) => (event: PointerEvent) => {
    if (!event.buttons) return;
    const bounds = area.current!.getBoundingClientRect();
    take(number, Math.max(least, gainAt(((event.clientY - bounds.top) / bounds.height) * TALL)));
  };
  const keyed = (number: number) => (event: KeyboardEvent) => {
    const by = ({ ArrowUp: 1, ArrowRight: 1, ArrowDown: -1, ArrowLeft: -1 } as Record<string, number>)[event.key];
    if (!by) return;
    event.preventDefault();
    take(
      number,
      Math.min(MOST, Math.max(least, Number((gains[number]! + by * (event.shiftKey ? 0.05 : 0.1)).toFixed(2)))),
    );
  };
  const curve = smooth(gains.map((gain, i) => [xAt(i), yAt(gain)]));
  const behind = smooth(valuesOf(other).map((value, i) => [xAt(i), yAt(value)]));
  const explain = (i: number) =>
    show(
      `${BANDS[i]!.label} ${label}`,
      `Structure about ${sizeText(BANDS[i]!.size)} ${mm === null ? "% of the tile" : "mm"} wide ${
        what === "gain"
          ? `counts ${gains[i]!.toFixed(2)} times`
          : `has a contrast of ${gains[i]!.toFixed(2)}: under 1 faint structure counts as much as bold, over 1 bold alone`
      }. Double-click resets.`,
    );
  return (
    <div className="py-1">
      <div className="flex items-baseline justify-between">
        <h3 className="font-medium">Detail by size</h3>
        <Choice
          label="What the curve sets"
          value={what}
          options={[
            { value: "gain", label: "Gain" },
            { value: "contrast", label: "Contrast" },
          ]}
          onChange={setWhat}
        />
      </div>
      <svg
        ref={area}
        viewBox={`0 0 ${WIDE} ${TALL + 14}`}
        className="mt-1 w-full touch-none rounded-card bg-raised"
        role="group"
        aria-label="Detail by size"
      >
        {BANDS.map((band, i) => (
          <g key={band.name}>
            <line x1={xAt(i)} x2={xAt(i)} y1="6" y2={TALL - 4} stroke="var(--line)" />
            <text
              x={i === BANDS.length - 1 ? WIDE - 4 : xAt(i)}
              y={TALL + 8}
              textAnchor={i === BANDS.length - 1 ? "end" : "middle"}
              fontSize="9.500"
              fill="var(--soft)"
              fontFamily="var(--font-mono)"
            >
              {sizeText(band.size)}
              {i === BANDS.length - 1 && (mm === null ? " %" : " mm")}
            </text>
          </g>
        ))}
        <line x1={PAD} x2={WIDE - PAD} y1={yAt(1)} y2={yAt(1)} stroke="var(--line)" strokeDasharray="3 3" />
        <path
          d={`${curve} L${xAt(BANDS.length - 1)} ${TALL - 4} L${xAt(0)} ${TALL - 4}z`}
          fill="var(--text)"
          fillOpacity="0.06"
        />
        <path d={behind} fill="none" stroke="var(--soft)" strokeWidth="1.200" strokeDasharray="2 4" />
        <path d={curve} fill="none" stroke="var(--amber)" strokeWidth="1.600" />
        {BANDS.map((band, i) => (
          <g
            key={band.name}
            role="slider"
            tabIndex={0}
            aria-label={`${band.label} ${label}`}
            aria-orientation="vertical"
            aria-valuemin={least}
            aria-valuemax={MOST}
            aria-valuenow={gains[i]}
            className="cursor-ns-resize outline-none [&:focus-visible>circle:last-child]:stroke-text"
            onPointerDown={(event) => {
              event.currentTarget.setPointerCapture(event.pointerId);
              gesture.current = crypto.randomUUID();
            }}
            onPointerMove={drag(i)}
            onPointerUp={() => (gesture.current = "")}
            onPointerEnter={() => explain(i)}
            onFocus={() => explain(i)}
            onDoubleClick={() => change({ [path(band.name, what)]: null }, `${band.label} ${label} reset`)}
            onKeyDown={keyed(i)}
          >
            <rect x={xAt(i) - 20} y="0" width="40" height={TALL} fill="transparent" />
            <path d={`M${xAt(i) - 5} ${yAt(usual(band.name))}h10`} stroke="var(--soft)" />
            <circle
              cx={xAt(i)}
              cy={yAt(gains[i]!)}
              r="5.500"
              fill="var(--amber)"
              stroke="var(--raised)"
              strokeWidth="2"
            />
          </g>
        ))}
      </svg>
    </div>
  );
}

/** A curve through the points that never overshoots: horizontal where neighbours lie on one side. */
function smooth(points: [number, number][] | number[][]): string {
  const p = points as [number, number][];
  let d = `M${p[0]![0]} ${p[0]![1].toFixed(1)}`;
  for (let i = 0; i + 1 < p.length; i++) {
    const [x0, y0] = p[i]!;
    const [x1, y1] = p[i + 1]!;
    const slope = (j: number) => {
      const [before, at, after] = [p[j - 1], p[j]!, p[j + 1]];
      if (!before || !after || (at[1] - before[1]) * (after[1] - at[1]) <= 0) return 0;
      return (after[1] - before[1]) / (after[0] - before[0]);
    };
    const third = (x1 - x0) / 3;
    d += ` C${(x0 + third).toFixed(1)} ${(y0 + slope(i) * third).toFixed(1)} ${(x1 - third).toFixed(1)} ${(y1 - slope(i + 1) * third).toFixed(1)} ${x1} ${y1.toFixed(1)}`;
  }
  return d;
}
