/** Corners, level line and bend points on the photograph. */
import { type KeyboardEvent, type PointerEvent, useEffect, useRef, useState } from "react";
import type { Material } from "../api/types";
import { change, useEditor, valueOf } from "../editor/store";
import { makeNeutral } from "../stages/gather/picking";
import { acceptProposal, chooseTool, CORNERS, cornerPath, useTool } from "../stages/square/tool";
import { Button } from "../ui/Button";
import { fromCapture, type Point } from "./capture";
import { extent, type Transform } from "./space";
import { holdPointer } from "./hold";
import { arrowStep } from "../ui/arrows";

interface Props {
  material: Material;
  t: Transform;
  bitmap: ImageBitmap | null;
}

const NAMES = {
  upper_left: "Upper left",
  upper_right: "Upper right",
  lower_right: "Lower right",
  lower_left: "Lower left",
};
const ZOOM = 5;
const GLASS = 132;

/** Screen px of a place in the capture (0..1), and back. */
export function photoSpace(material: Material, t: Transform) {
  const photo = extent("gathered", material.preview);
  const toScreen = ([x, y]: Point): Point => t.toScreen(photo.left + x * photo.width, photo.top + y * photo.height);
  const toPhoto = (px: number, py: number): Point => {
    const [x, y] = t.toTile(px, py);
    return [(x - photo.left) / photo.width, (y - photo.top) / photo.height];
  };
  return { toScreen, toPhoto };
}

export const path = (points: Point[], closed = true) =>
  `M${points.map(([x, y]) => `${x.toFixed(1)} ${y.toFixed(1)}`).join("L")}${closed ? "z" : ""}`;

export function CornerHandles({ material, t, bitmap }: Props) {
  const state = useEditor();
  const { proposal } = useTool();
  const { toScreen } = photoSpace(material, t);
  const corners = CORNERS.map(
    (c) => [valueOf(state, cornerPath(c, "x")) as number, valueOf(state, cornerPath(c, "y")) as number] as Point,
  );
  const [held, setHeld] = useState<number | null>(null);
  const drag = useRef<{ px: number; py: number; from: Point; gesture: string } | null>(null);
  const screen = corners.map(([x, y]) => toScreen([x / 100, y / 100]));
  const proposed = proposal?.corners.map(([x, y]) => toScreen([x / 100, y / 100]));

  const take = (i: number, [x, y]: Point, gesture: string) => {
    const round = (n: number) => Number(Math.min(200, Math.max(-100, n)).toFixed(2));
    change({ [cornerPath(CORNERS[i]!, "x")]: round(x), [cornerPath(CORNERS[i]!, "y")]: round(y) }, "Corner", gesture);
  };
  const follow = (i: number) => (event: PointerEvent) => {
    const from = drag.current;
    if (!from || !event.buttons) return;
    event.stopPropagation();
    const [x0, y0] = toScreen([0, 0]);
    const [x1, y1] = toScreen([1, 1]);
    take(
      i,
      [
        from.from[0] + ((event.clientX - from.px) * 100) / (x1 - x0),
        from.from[1] + ((event.clientY - from.py) * 100) / (y1 - y0),
      ],
      from.gesture,
    );
  };
  const keyed = (i: number) => (event: KeyboardEvent) => {
    // A tenth of a per cent a key, with shift a hundredth: about a pixel of a large capture.
    const by = arrowStep(event, 0.1, 0.01);
    if (!by) return;
    take(i, [corners[i]![0] + by[0], corners[i]![1] + by[1]], "");
  };
  return (
    <>
      <svg aria-hidden className="pointer-events-none absolute inset-0 size-full">
        <path d={path(screen)} fill="none" stroke="#000" strokeOpacity="0.6" strokeWidth="3" />
        <path d={path(screen)} fill="none" stroke="var(--amber)" strokeWidth="1.500" />
        {proposed && (
          <path
            d={path(proposed)}
            fill="var(--amber)"
            fillOpacity="0.16"
            stroke="#fff"
            strokeDasharray="6 4"
            strokeWidth="1.500"
          />
        )}
      </svg>
      {screen.map(([x, y], i) => (
        <div
          key={CORNERS[i]}
          role="slider"
          tabIndex={0}
          aria-label={`${NAMES[CORNERS[i]!]} corner`}
          aria-valuenow={Math.round(corners[i]![0])}
          aria-valuetext={`${corners[i]![0].toFixed(2)} % across, ${corners[i]![1].toFixed(2)} % down`}
          className="absolute grid size-7 -translate-1/2 cursor-move place-items-center"
          style={{ left: x, top: y }}
          onFocus={() => setHeld(i)}
          onBlur={() => setHeld(null)}
          onPointerDown={(event) => {
            event.stopPropagation();
            holdPointer(event);
            drag.current = { px: event.clientX, py: event.clientY, from: corners[i]!, gesture: crypto.randomUUID() };
            setHeld(i);
          }}
          onPointerMove={follow(i)}
          onPointerUp={() => {
            drag.current = null;
            setHeld(null);
          }}
          onKeyDown={keyed(i)}
        >
          <span className="size-[13px] rounded-full border-2 border-amber bg-black/40" />
        </div>
      ))}
      {held !== null && bitmap && <Magnifier bitmap={bitmap} at={corners[held]!} beside={screen[held]!} />}
      {proposal && (
        <div
          className="absolute top-3 left-1/2 flex w-80 max-w-[94%] -translate-x-1/2 flex-col gap-2 rounded-card border border-line bg-ground/95 px-3 py-2"
          onPointerDown={(event) => event.stopPropagation()}
        >
          <p>
            {proposal.reason} <span className="figures text-soft">Sure {proposal.confidence.toFixed(2)}</span>
          </p>
          <div className="flex gap-2">
            <Button look={proposal.accepted ? "main" : undefined} onClick={acceptProposal}>
              {proposal.accepted ? "Accept corners" : "Take them and drag"}
            </Button>
            <Button onClick={() => useTool.setState({ proposal: null })}>
              {proposal.accepted ? "Leave" : "Close"}
            </Button>
          </div>
        </div>
      )}
    </>
  );
}

/** The photograph around a corner, five times as large, beside the pointer. */
function Magnifier({ bitmap, at, beside }: { bitmap: ImageBitmap; at: Point; beside: Point }) {
  const canvas = useRef<HTMLCanvasElement>(null);
  useEffect(() => {
    const context = canvas.current?.getContext("2d");
    if (!context) return;
    const side = GLASS / ZOOM;
    context.fillStyle = "#777";
    context.fillRect(0, 0, GLASS, GLASS);
    context.imageSmoothingEnabled = false;
    context.drawImage(
      bitmap,
      (at[0] / 100) * bitmap.width - side / 2,
      (at[1] / 100) * bitmap.height - side / 2,
      side,
      side,
      0,
      0,
      GLASS,
      GLASS,
    );
    context.strokeStyle = "#e39a2d";
    context.strokeRect(GLASS / 2 - 0.5, 0, 0, GLASS);
    context.strokeRect(0, GLASS / 2 - 0.5, GLASS, 0);
  });
  return (
    <canvas
      ref={canvas}
      width={GLASS}
      height={GLASS}
      aria-hidden
      className="pointer-events-none absolute rounded-full border-2 border-ground"
      style={{
        left: beside[0] + (beside[0] > 200 ? -GLASS - 18 : 18),
        top: beside[1] + (beside[1] > 200 ? -GLASS - 18 : 18),
      }}
    />
  );
}

/** Draw along something level or upright: the picture turns so that it is. */
export function LevelLine({ material, t }: Omit<Props, "bitmap">) {
  const [line, setLine] = useState<[Point, Point] | null>(null);
  const { toPhoto } = photoSpace(material, t);
  const { view, picture } = material.preview;
  const turn = useEditor((state) => valueOf(state, "square.flat.turn")) as number;
  const place = (event: PointerEvent): Point => {
    const bounds = event.currentTarget.getBoundingClientRect();
    return [event.clientX - bounds.left, event.clientY - bounds.top];
  };
  const finish = () => {
    if (line && Math.hypot(line[1][0] - line[0][0], line[1][1] - line[0][1]) > 20) {
      const aspect = picture[0] / picture[1];
      const [a, b] = line.map(([px, py]) => fromCapture(view, aspect, toPhoto(px, py))) as [Point, Point];
      const angle = (Math.atan2((b[1] - a[1]) * view.size[1], (b[0] - a[0]) * view.size[0]) * 180) / Math.PI;
      const off = angle - 90 * Math.round(angle / 90);
      change({ "square.flat.turn": Number(Math.min(45, Math.max(-45, turn + off)).toFixed(2)) }, "Level by a line");
      chooseTool("crop");
    }
    setLine(null);
  };
  return (
    <div
      className="absolute inset-0 cursor-crosshair"
      onPointerDown={(event) => {
        event.stopPropagation();
        holdPointer(event);
        const at = place(event);
        setLine([at, at]);
      }}
      onPointerMove={(event) => {
        if (line && event.buttons) {
          event.stopPropagation();
          setLine([line[0], place(event)]);
        }
      }}
      onPointerUp={finish}
    >
      <Hint>Draw along something that should be level or upright.</Hint>
      {line && (
        <svg aria-hidden className="pointer-events-none absolute inset-0 size-full">
          <path d={path(line, false)} stroke="#000" strokeOpacity="0.6" strokeWidth="4" />
          <path d={path(line, false)} stroke="var(--amber)" strokeWidth="2" />
        </svg>
      )}
    </div>
  );
}

/** Mark points along things that are straight in reality: the bend of the lens follows. */
export function BendPoints({ material, t }: Omit<Props, "bitmap">) {
  const { lines } = useTool();
  const { toScreen, toPhoto } = photoSpace(material, t);
  return (
    <div
      className="absolute inset-0 cursor-crosshair"
      onPointerDown={(event) => event.stopPropagation()}
      onClick={(event) => {
        const bounds = event.currentTarget.getBoundingClientRect();
        const at = toPhoto(event.clientX - bounds.left, event.clientY - bounds.top);
        useTool.setState({ lines: [...lines.slice(0, -1), [...lines.at(-1)!, at]] });
      }}
    >
      <Hint>Click three or more points along a straight thing near an edge; then solve, or begin another line.</Hint>
      <svg aria-hidden className="pointer-events-none absolute inset-0 size-full">
        {lines.map((line, i) => (
          <g key={i}>
            <path
              d={line.length ? path(line.map(toScreen), false) : ""}
              fill="none"
              stroke="var(--amber)"
              strokeWidth="1.500"
            />
            {line.map((point, j) => (
              <circle key={j} cx={toScreen(point)[0]} cy={toScreen(point)[1]} r="4" fill="var(--amber)" stroke="#000" />
            ))}
          </g>
        ))}
      </svg>
    </div>
  );
}

/** Click a grey or white place: the capture's white follows. */
export function NeutralPick({ material, t }: Omit<Props, "bitmap">) {
  const { toPhoto } = photoSpace(material, t);
  return (
    <div
      className="absolute inset-0 cursor-crosshair"
      onPointerDown={(event) => event.stopPropagation()}
      onClick={(event) => {
        const bounds = event.currentTarget.getBoundingClientRect();
        const [x, y] = toPhoto(event.clientX - bounds.left, event.clientY - bounds.top);
        if (x >= 0 && y >= 0 && x <= 1 && y <= 1) void makeNeutral(material.id, [x, y]);
      }}
    >
      <Hint>Click a place that is grey or white in reality.</Hint>
    </div>
  );
}

function Hint({ children }: { children: string }) {
  return (
    <p className="pointer-events-none absolute top-3 left-1/2 max-w-[90%] -translate-x-1/2 rounded-card bg-ground/90 px-3 py-1 text-center">
      {children}
    </p>
  );
}
