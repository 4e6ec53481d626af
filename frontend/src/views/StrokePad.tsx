/** Draws with a brush on a view: the strokes there are, the one being drawn, and a stroke that is dragged. */
import { type PointerEvent, useRef, useState } from "react";
import { thinned } from "../stages/tile/strokes";
import type { Point } from "./capture";
import { holdPointer } from "./hold";
import { path } from "./FlatHandles";
import type { Transform } from "./space";

/** A stroke as it is shown. radius: in tile widths, 0 for an outline. ink: a colour. strong: it is the chosen one. */
export interface Mark {
  radius: number;
  points: Point[];
  /** How much of the radius there is at each point; all of it where nothing is told. */
  pressure?: number[];
  ink: string;
  strong?: boolean;
}

interface Props {
  t: Transform;
  /** How far the tile is wrapped round in this view. */
  shift: number;
  marks: Mark[];
  /** What is in hand; null when nothing is drawn here. */
  brush: { radius: number; outline: boolean; ink: string } | null;
  /** A stroke is chosen and follows the pointer when it is dragged. */
  held?: boolean;
  /** The next press chooses a place. */
  aiming?: boolean;
  /** Where a copying brush copies from. */
  source?: Point | null;
  onAim?: (at: Point) => void;
  /** pressure: of a pen, for each point. */
  onDraw: (points: Point[], pressure: number[]) => void;
  onMove?: (by: Point, gesture: string, from: number) => void;
  /** The other end of a pen was drawn over these places. */
  onErase?: (points: Point[], radius: number) => void;
}

/** The end of a pen that erases, as Pointer Events number it. */
const ERASER = 5;

export function StrokePad({
  t,
  shift,
  marks,
  brush,
  held = false,
  aiming = false,
  source = null,
  onAim,
  onDraw,
  onMove,
  onErase,
}: Props) {
  const [line, setLine] = useState<Point[]>([]);
  const [pressed, setPressed] = useState<number[]>([]);
  const [at, setAt] = useState<Point | null>(null);
  const moving = useRef<{ from: Point; gesture: string; began: number } | null>(null);
  const per = t.toScreen(1, 0)[0] - t.toScreen(0, 0)[0];
  const screen = ([x, y]: Point): Point => t.toScreen(x + shift, y + shift);
  const place = (event: PointerEvent): Point => {
    const bounds = event.currentTarget.getBoundingClientRect();
    const [x, y] = t.toTile(event.clientX - bounds.left, event.clientY - bounds.top);
    return [x - shift, y - shift];
  };
  const erasing = useRef(false);
  const down = (event: PointerEvent) => {
    if (event.button !== 0 && event.button !== ERASER) return;
    event.stopPropagation();
    holdPointer(event);
    const spot = place(event);
    erasing.current = event.button === ERASER;
    if (erasing.current) setLine([spot]);
    else if (held) moving.current = { from: spot, gesture: crypto.randomUUID(), began: event.timeStamp };
    else if (aiming) onAim?.(spot);
    else {
      setLine([spot]);
      setPressed([pressureOf(event)]);
    }
  };
  const move = (event: PointerEvent) => {
    const spot = place(event);
    setAt(spot);
    if (!(event.buttons & (1 | (1 << ERASER)))) return;
    const drag = moving.current;
    if (drag) onMove?.([spot[0] - drag.from[0], spot[1] - drag.from[1]], drag.gesture, drag.began);
    else if (line.length) {
      setLine([...line, spot]);
      setPressed([...pressed, pressureOf(event)]);
    }
  };
  // A second finger takes the picture in hand: what the first began is nothing.
  const cancel = () => {
    moving.current = null;
    setLine([]);
  };
  const up = () => {
    moving.current = null;
    if (line.length && erasing.current) onErase?.(line, Math.max(brush?.radius ?? 0, 6 / per));
    else if (line.length && brush) {
      const kept = thinned(line, brush.outline ? 2 / per : Math.max(brush.radius / 3, 1 / per));
      const told = kept.map((point) => pressed[line.indexOf(point)] ?? 1);
      // A mouse presses alike everywhere: nothing is told then.
      onDraw(kept, brush.outline || told.every((share) => share === 1) ? [] : told);
    }
    setLine([]);
  };
  const size = brush?.outline ? 6 : (brush?.radius ?? 0) * per;
  const from =
    line[0] && source
      ? ([source[0] - line[0][0] + line.at(-1)![0], source[1] - line[0][1] + line.at(-1)![1]] as Point)
      : source;
  return (
    <>
      <svg aria-hidden className="pointer-events-none absolute inset-0 size-full" data-testid="strokes">
        {marks.map((mark, i) => (
          <Drawn key={i} mark={mark} screen={screen} per={per} />
        ))}
        {brush && line.length > 0 && !erasing.current && (
          <Drawn
            mark={{
              radius: brush.outline ? 0 : brush.radius,
              points: line,
              pressure: pressed,
              ink: brush.ink,
              strong: true,
            }}
            screen={screen}
            per={per}
          />
        )}
        {brush && at && !brush.outline && !aiming && (
          <circle
            cx={screen(at)[0]}
            cy={screen(at)[1]}
            r={Math.max(2, size)}
            fill="none"
            stroke="#fff"
            strokeWidth="1.500"
            style={{ mixBlendMode: "difference" }}
          />
        )}
        {brush && from && !aiming && (
          <g>
            <circle
              cx={screen(from)[0]}
              cy={screen(from)[1]}
              r={Math.max(5, size)}
              fill="none"
              stroke="#000"
              strokeWidth="3"
            />
            <circle
              cx={screen(from)[0]}
              cy={screen(from)[1]}
              r={Math.max(5, size)}
              fill="none"
              stroke="var(--amber)"
              strokeWidth="1.500"
              strokeDasharray="3 3"
            />
          </g>
        )}
      </svg>
      {(brush || held) && (
        <div
          data-testid="brush"
          className={`absolute inset-0 ${held ? "cursor-move" : aiming ? "cursor-crosshair" : "cursor-none"}`}
          onPointerDown={down}
          onPointerMove={move}
          onPointerUp={up}
          onPointerCancel={cancel}
          onPointerLeave={() => setAt(null)}
          onDoubleClick={(event) => event.stopPropagation()}
        />
      )}
    </>
  );
}

/** How much of the brush a pen asks for; other pointers ask for all of it. */
export const pressureOf = (event: { pointerType: string; pressure: number }): number =>
  event.pointerType === "pen" ? Number(Math.min(1, Math.max(0.05, event.pressure)).toFixed(2)) : 1;

function Drawn({ mark, screen, per }: { mark: Mark; screen: (at: Point) => Point; per: number }) {
  const points = mark.points.map(screen);
  const line = mark.radius > 0;
  const shape =
    points.length === 1 ? path([points[0]!, [points[0]![0] + 0.01, points[0]![1]]], false) : path(points, !line);
  const width = Math.max(2, 2 * mark.radius * per);
  const { pressure = [] } = mark;
  if (line && pressure.some((share) => share !== 1)) {
    const pressed = (ink: string, rim: number, opacity: number) => (
      <g fill="none" stroke={ink} strokeLinecap="round" opacity={opacity}>
        {points.map((to, i) => {
          const before = Math.max(0, i - 1);
          const wide = Math.max(1, (width * ((pressure[i] ?? 1) + (pressure[before] ?? 1))) / 2);
          return <path key={i} d={path([points[before]!, [to[0] + 0.01, to[1]]], false)} strokeWidth={wide + rim} />;
        })}
      </g>
    );
    return (
      <>
        {mark.strong && pressed("var(--amber)", 3, 0.55)}
        {pressed(mark.ink, 0, 0.5)}
      </>
    );
  }
  return (
    <g fill="none" strokeLinecap="round" strokeLinejoin="round">
      {line && mark.strong && <path d={shape} stroke="var(--amber)" strokeWidth={width + 3} opacity="0.55" />}
      <path
        d={shape}
        stroke={line ? mark.ink : "var(--amber)"}
        strokeWidth={line ? width : 2}
        fill={line ? "none" : mark.ink}
        fillOpacity="0.45"
        opacity={line ? 0.5 : 1}
      />
    </g>
  );
}
