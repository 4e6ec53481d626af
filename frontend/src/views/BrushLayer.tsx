/** Strokes of the brush on a view: those there are, the one being drawn, and where it copies from. */
import { type PointerEvent, useEffect, useRef, useState } from "react";
import type { LayerId, Material } from "../api/types";
import { addStroke, copies, putStroke, takeBrush, useBrush, useStrokes } from "../stages/tile/brush";
import { ON_SAMPLE, pathOf, shifted, type Stroke, thinned } from "../stages/tile/strokes";
import type { Point } from "./capture";
import { path } from "./FlatHandles";
import { type Transform, wraps } from "./space";

interface Props {
  material: Material;
  layer: LayerId;
  t: Transform;
  /** How far the tile is wrapped round in this view. */
  shift: number;
}

export function BrushLayer({ material, layer, t, shift }: Props) {
  const { tool, outline, radius, source, aiming, chosen } = useBrush();
  const strokes = useStrokes(material);
  const [line, setLine] = useState<Point[]>([]);
  const [at, setAt] = useState<Point | null>(null);
  const moving = useRef<{ from: Point; stroke: Stroke; gesture: string } | null>(null);
  useEffect(() => {
    const leave = (event: KeyboardEvent) => {
      if (event.key !== "Escape" || (!useBrush.getState().tool && !useBrush.getState().chosen)) return;
      takeBrush(null);
    };
    addEventListener("keydown", leave);
    return () => removeEventListener("keydown", leave);
  }, []);
  const tile = wraps(layer);
  const here = (name: Stroke["tool"]) => ON_SAMPLE.includes(name) !== tile;
  const drawing = tool !== null && here(tool);
  const held = chosen && here(chosen.tool) ? strokes.find((stroke) => stroke.index === chosen.index && pathOf(stroke.tool) === pathOf(chosen.tool)) : undefined;
  const shown = tile ? (held ? [held] : []) : strokes.filter((stroke) => ON_SAMPLE.includes(stroke.tool));
  const perTile = t.toScreen(1, 0)[0] - t.toScreen(0, 0)[0];
  const screen = ([x, y]: Point): Point => t.toScreen(x + shift, y + shift);
  const place = (event: PointerEvent): Point => {
    const bounds = event.currentTarget.getBoundingClientRect();
    const [x, y] = t.toTile(event.clientX - bounds.left, event.clientY - bounds.top);
    return [x - shift, y - shift];
  };
  const down = (event: PointerEvent) => {
    if (event.button !== 0) return;
    event.stopPropagation();
    event.currentTarget.setPointerCapture(event.pointerId);
    const spot = place(event);
    if (held) moving.current = { from: spot, stroke: held, gesture: crypto.randomUUID() };
    else if (copies(tool) && (aiming || !source)) useBrush.setState({ source: spot, aiming: false });
    else setLine([spot]);
  };
  const move = (event: PointerEvent) => {
    const spot = place(event);
    setAt(spot);
    if (!(event.buttons & 1)) return;
    const drag = moving.current;
    if (drag && chosen) {
      putStroke(material, chosen.index, shifted(drag.stroke, [spot[0] - drag.from[0], spot[1] - drag.from[1]]), "Stroke moved", drag.gesture);
    } else if (line.length) setLine([...line, spot]);
  };
  const up = () => {
    moving.current = null;
    if (line.length) addStroke(material, thinned(line, outline ? 2 / perTile : Math.max(radius / 3, 1 / perTile)));
    setLine([]);
  };
  const drawn: Stroke | null = line.length && tool ? { tool, radius: outline ? 0 : radius, points: line, from: [0, 0] } : null;
  const from = line[0] && source ? ([source[0] - line[0][0] + line.at(-1)![0], source[1] - line[0][1] + line.at(-1)![1]] as Point) : source;
  return (
    <>
      <svg aria-hidden className="pointer-events-none absolute inset-0 size-full" data-testid="strokes">
        {shown.map((stroke, i) => (
          <Drawn key={i} stroke={stroke} screen={screen} per={perTile} strong={stroke === held} />
        ))}
        {drawn && <Drawn stroke={drawn} screen={screen} per={perTile} strong />}
        {drawing && at && !outline && !aiming && <circle cx={screen(at)[0]} cy={screen(at)[1]} r={Math.max(2, radius * perTile)} fill="none" stroke="#fff" strokeWidth="1.500" style={{ mixBlendMode: "difference" }} />}
        {drawing && copies(tool) && from && !aiming && (
          <g>
            <circle cx={screen(from)[0]} cy={screen(from)[1]} r={Math.max(5, outline ? 6 : radius * perTile)} fill="none" stroke="#000" strokeWidth="3" />
            <circle cx={screen(from)[0]} cy={screen(from)[1]} r={Math.max(5, outline ? 6 : radius * perTile)} fill="none" stroke="var(--amber)" strokeWidth="1.500" strokeDasharray="3 3" />
          </g>
        )}
      </svg>
      {(drawing || held) && (
        <div data-testid="brush" className={`absolute inset-0 ${held ? "cursor-move" : aiming ? "cursor-crosshair" : "cursor-none"}`} onPointerDown={down} onPointerMove={move} onPointerUp={up} onPointerLeave={() => setAt(null)} onDoubleClick={(event) => event.stopPropagation()} />
      )}
    </>
  );
}

const INK: Record<Stroke["tool"], string> = { excluded: "#000", kept: "#fff", clone: "#fff", heal: "#fff", fill: "#fff" };

function Drawn({ stroke, screen, per, strong }: { stroke: Stroke; screen: (at: Point) => Point; per: number; strong: boolean }) {
  const points = stroke.points.map(screen);
  const ink = INK[stroke.tool];
  const line = stroke.radius > 0;
  const shape = points.length === 1 ? path([points[0]!, [points[0]![0] + 0.01, points[0]![1]]], false) : path(points, !line);
  const width = Math.max(2, 2 * stroke.radius * per);
  return (
    <g fill="none" strokeLinecap="round" strokeLinejoin="round">
      {line && strong && <path d={shape} stroke="var(--amber)" strokeWidth={width + 3} opacity="0.55" />}
      <path d={shape} stroke={line ? ink : "var(--amber)"} strokeWidth={line ? width : 2} fill={line ? "none" : ink} fillOpacity="0.45" opacity={line ? 0.5 : 1} />
    </g>
  );
}
