/** A curve through points, over counted values: drag, add by a click, take away by Delete. */
import { type KeyboardEvent, type PointerEvent, useRef, useState } from "react";
import { arrowStep } from "./arrows";
import { curveAt, type CurvePoint, movedPoint } from "./curve";

const [WIDTH, HEIGHT] = [280, 132];

interface Props {
  points: CurvePoint[];
  onChange: (next: CurvePoint[], gesture?: string) => void;
  /** How often values occur, 0 to 1, from low to high. */
  bars?: number[];
  /** What was counted. */
  counted: string;
}

export function CurvePad({ points, onChange: put, bars, counted }: Props) {
  const [chosen, setChosen] = useState<number | null>(null);
  const drag = useRef<{ index: number; gesture: string } | null>(null);
  const svg = useRef<SVGSVGElement>(null);
  const at = ([x, y]: CurvePoint): CurvePoint => [x * WIDTH, (1 - y) * HEIGHT];
  const place = (event: PointerEvent): CurvePoint => {
    const bounds = svg.current!.getBoundingClientRect();
    return [(event.clientX - bounds.left) / bounds.width, 1 - (event.clientY - bounds.top) / bounds.height];
  };
  const down = (event: PointerEvent) => {
    const spot = place(event);
    const near = points.findIndex(([x, y]) => Math.hypot((x - spot[0]) * WIDTH, (y - spot[1]) * HEIGHT) < 11);
    svg.current!.setPointerCapture(event.pointerId);
    const gesture = crypto.randomUUID();
    if (near >= 0) {
      drag.current = { index: near, gesture };
      setChosen(near);
    } else if (points.length < 16) {
      const index = points.filter(([x]) => x < spot[0]).length;
      const tight = [points[index - 1], points[index]].some((other) => other && Math.abs(other[0] - spot[0]) < 0.01);
      if (index === 0 || index === points.length || tight) return;
      put([...points.slice(0, index), spot, ...points.slice(index)], gesture);
      drag.current = { index, gesture };
      setChosen(index);
    }
  };
  const drop = (index: number) => {
    if (index === 0 || index === points.length - 1) return;
    put(points.filter((_, i) => i !== index));
    setChosen(null);
  };
  const keyed = (index: number) => (event: KeyboardEvent) => {
    if (event.key === "Delete" || event.key === "Backspace") return drop(index);
    const by = arrowStep(event, 0.02, 0.002);
    if (!by) return;
    const [x, y] = points[index]!;
    put(movedPoint(points, index, [x + by[0], y - by[1]]));
  };
  const line = Array.from({ length: 71 }, (_, i) => at([i / 70, curveAt(points, i / 70)]));
  return (
    <svg
      ref={svg}
      viewBox={`0 0 ${WIDTH} ${HEIGHT}`}
      className="w-full cursor-crosshair touch-none overflow-visible rounded-card border border-line bg-raised"
      onPointerDown={down}
      onPointerMove={(event) => {
        if (drag.current && event.buttons)
          put(movedPoint(points, drag.current.index, place(event)), drag.current.gesture);
      }}
      onPointerUp={() => (drag.current = null)}
    >
      {bars && (
        <path
          role="img"
          aria-label={counted}
          d={`M0 ${HEIGHT}${bars.map((bar, i) => `L${((i + 0.5) / bars.length) * WIDTH} ${HEIGHT - bar * (HEIGHT - 8)}`).join("")}L${WIDTH} ${HEIGHT}z`}
          fill="var(--text)"
          opacity="0.22"
        />
      )}
      <path d={`M0 ${HEIGHT}L${WIDTH} 0`} stroke="var(--line)" strokeWidth="1" />
      <path
        d={`M${line.map(([x, y]) => `${x.toFixed(1)} ${y.toFixed(1)}`).join("L")}`}
        fill="none"
        stroke="var(--text)"
        strokeWidth="1.500"
      />
      {points.map((point, i) => {
        const [x, y] = at(point);
        return (
          <circle
            key={i}
            cx={x}
            cy={y}
            r="5"
            tabIndex={0}
            role="slider"
            aria-label={`Point ${i + 1} of the curve`}
            aria-valuenow={Math.round(point[1] * 100)}
            aria-valuetext={`${Math.round(point[0] * 100)} % becomes ${Math.round(point[1] * 100)} %`}
            fill={i === chosen ? "var(--amber)" : "var(--ground)"}
            stroke="var(--amber)"
            strokeWidth="2"
            className="cursor-move"
            onFocus={() => setChosen(i)}
            onKeyDown={keyed(i)}
            onDoubleClick={() => drop(i)}
          />
        );
      })}
    </svg>
  );
}
