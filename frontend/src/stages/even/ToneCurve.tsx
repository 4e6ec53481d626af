/** The tones of the evened picture, counted, with the curve they are led along: drag, add by a click, take away by Delete. */
import { type KeyboardEvent, type PointerEvent, useMemo, useRef, useState } from "react";
import { change, useEditor, valueOf } from "../../editor/store";
import type { Material } from "../../api/types";
import { arrowStep } from "../../ui/arrows";
import { Switch } from "../../ui/Switch";
import { USUAL } from "../../views/kept";
import { usePicture } from "../../views/pictures";
import { useViews } from "../../views/state";
import { curveAt, type CurvePoint, movedPoint, readCurve, tonesOf, writeCurve } from "./curve";

const [WIDTH, HEIGHT] = [280, 132];
const PATH = "even.tone.curve";

function useTones(material: Material) {
  const { picture } = usePicture({
    id: material.id,
    layer: "evened",
    key: material.keys.evened ?? "",
    slot: "tones",
    side: USUAL,
  });
  return useMemo(() => {
    if (!picture) return null;
    const canvas = document.createElement("canvas");
    [canvas.width, canvas.height] = [384, 384];
    const context = canvas.getContext("2d", { willReadFrequently: true });
    if (!context) return null;
    // Picked, not averaged: averaging would hide what is clipped.
    context.imageSmoothingEnabled = false;
    context.drawImage(picture.bitmap, 0, 0, 384, 384);
    return tonesOf(context.getImageData(0, 0, 384, 384).data);
  }, [picture]);
}

export function ToneCurve({ material }: { material: Material }) {
  const tones = useTones(material);
  const points = readCurve(useEditor((state) => valueOf(state, PATH)));
  const clipping = useViews((state) => state.clipping);
  const [chosen, setChosen] = useState<number | null>(null);
  const drag = useRef<{ index: number; gesture: string } | null>(null);
  const svg = useRef<SVGSVGElement>(null);
  const at = ([x, y]: CurvePoint): CurvePoint => [x * WIDTH, (1 - y) * HEIGHT];
  const put = (next: CurvePoint[], gesture = "") => change({ [PATH]: writeCurve(next) }, "Tone curve", gesture);
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
  const percent = (share: number) =>
    share === 0 ? "none" : share < 0.0005 ? "under 0.1 %" : `${(share * 100).toFixed(1)} %`;
  return (
    <section aria-label="Tone curve" className="py-1">
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
        {tones && (
          <path
            aria-label="Tones counted"
            d={`M0 ${HEIGHT}${tones.bars.map((bar, i) => `L${((i + 0.5) / 64) * WIDTH} ${HEIGHT - bar * (HEIGHT - 8)}`).join("")}L${WIDTH} ${HEIGHT}z`}
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
      <label className="flex h-8 items-center justify-between">
        Mark clipped pixels
        <Switch label="Mark clipped pixels" checked={clipping} onChange={(on) => useViews.setState({ clipping: on })} />
      </label>
      {tones && (
        <p className="text-[12px] text-soft">{`At full brightness: ${percent(tones.bright)}. At black: ${percent(tones.dark)}.${clipping ? " Amber is too bright, white too dark." : ""}`}</p>
      )}
    </section>
  );
}
