/** How the values of a layer are spread, laid on the view that shows it. */
import type { LayerId, Material, Spread } from "../api/types";
import { useHistogram } from "../editor/figures";
import type { Channel } from "./state";

const [WIDE, HIGH] = [256, 72];
const INK: Record<Spread["channel"], string> = {
  red: "#ff5a4f",
  green: "#4fc46a",
  blue: "#5b8cff",
  value: "currentColor",
};

/** The outline of the counts: square roots, so that what is rare is seen beside what is common. */
function outline(counts: number[], top: number): string {
  const step = WIDE / counts.length;
  const points = counts.map(
    (count, at) => `${((at + 0.5) * step).toFixed(1)},${(HIGH - Math.sqrt(count / top) * (HIGH - 3)).toFixed(1)}`,
  );
  return `M0,${HIGH} L${points.join(" L")} L${WIDE},${HIGH} Z`;
}

const share = (part: number) => (part === 0 ? "0" : part < 0.001 ? "< 0.1" : (100 * part).toFixed(1));

export function Histogram({ material, layer, channel }: { material: Material; layer: LayerId; channel: Channel }) {
  const told = useHistogram(material, layer);
  if (!told) return null;
  const shown = told.channels.filter(
    (one) => one.channel === channel || channel === "all" || channel === "value" || told.channels.length === 1,
  );
  const top = Math.max(1, ...shown.flatMap((one) => one.counts));
  const codes = told.first === 0;
  const written = (value: number) => (codes ? String(Math.round(value * 255)) : value.toFixed(2).replace("-", "−"));
  return (
    <figure
      aria-label="Histogram"
      data-testid="histogram"
      className="absolute bottom-10 left-2 z-10 m-0 rounded-[6px] bg-ground/90 p-2 text-text"
    >
      <svg width={WIDE} height={HIGH} role="img" aria-label={`Values of ${shown.length} channels`} className="block">
        {[0.25, 0.5, 0.75].map((at) => (
          <path key={at} d={`M${at * WIDE},0V${HIGH}`} stroke="var(--line)" strokeDasharray="2 3" />
        ))}
        {shown.map((one) => (
          <path
            key={one.channel}
            d={outline(one.counts, top)}
            fill={INK[one.channel]}
            fillOpacity={shown.length > 1 ? 0.28 : 0.4}
            stroke={INK[one.channel]}
            strokeWidth="1"
          />
        ))}
      </svg>
      <table className="figures mt-1 w-full text-[11px]">
        <thead>
          <tr className="text-left text-soft">
            <th className="font-normal">at {written(told.first)}</th>
            <th className="font-normal">1 %</th>
            <th className="font-normal">half</th>
            <th className="font-normal">99 %</th>
            <th className="text-right font-normal">at {written(told.last)}</th>
          </tr>
        </thead>
        <tbody>
          {shown.map((one) => (
            <tr key={one.channel} style={{ color: shown.length > 1 ? INK[one.channel] : undefined }}>
              <td>{share(one.under)} %</td>
              <td>{written(one.low)}</td>
              <td>{written(one.middle)}</td>
              <td>{written(one.high)}</td>
              <td className="text-right">{share(one.over)} %</td>
            </tr>
          ))}
        </tbody>
      </table>
    </figure>
  );
}
