/** The crop drawn on the photograph: drag edges, corners or the whole; arrow keys move a focused handle. */
import { type KeyboardEvent, type PointerEvent, useRef } from "react";
import { type Changes, change, useEditor, valueOf } from "../editor/store";
import type { CaptureView, Material, SettingPath } from "../api/types";
import { fromCapture, type Point, toCapture } from "./capture";
import { path, photoSpace } from "./FlatHandles";
import type { Transform } from "./space";
import { holdPointer } from "./hold";
import { arrowStep } from "../ui/arrows";

type Edge = "left" | "top" | "right" | "bottom";
type Edges = Record<Edge, number>;

const LEAST = 2;
const settingOf = (edge: Edge): SettingPath => `square.crop.${edge}`;
const HANDLES: { name: string; edges: Edge[]; x: number; y: number; cursor: string }[] = [
  { name: "Left edge", edges: ["left"], x: 0, y: 0.5, cursor: "ew-resize" },
  { name: "Right edge", edges: ["right"], x: 1, y: 0.5, cursor: "ew-resize" },
  { name: "Upper edge", edges: ["top"], x: 0.5, y: 0, cursor: "ns-resize" },
  { name: "Lower edge", edges: ["bottom"], x: 0.5, y: 1, cursor: "ns-resize" },
  { name: "Upper left corner", edges: ["left", "top"], x: 0, y: 0, cursor: "nwse-resize" },
  { name: "Upper right corner", edges: ["right", "top"], x: 1, y: 0, cursor: "nesw-resize" },
  { name: "Lower left corner", edges: ["left", "bottom"], x: 0, y: 1, cursor: "nesw-resize" },
  { name: "Lower right corner", edges: ["right", "bottom"], x: 1, y: 1, cursor: "nwse-resize" },
];
const ALL: Edge[] = ["left", "top", "right", "bottom"];

/** Edges moved by dx, dy (per cent of the picture), kept inside the picture and apart. */
export function movedEdges(edges: Edges, which: Edge[], dx: number, dy: number): Edges {
  const next = { ...edges };
  if (which.length === 4) {
    const x = Math.min(100 - edges.right, Math.max(-edges.left, dx));
    const y = Math.min(100 - edges.bottom, Math.max(-edges.top, dy));
    return { left: edges.left + x, right: edges.right + x, top: edges.top + y, bottom: edges.bottom + y };
  }
  for (const edge of which) {
    const by = edge === "left" || edge === "right" ? dx : dy;
    const [low, high] = {
      left: [0, edges.right - LEAST],
      right: [edges.left + LEAST, 100],
      top: [0, edges.bottom - LEAST],
      bottom: [edges.top + LEAST, 100],
    }[edge] as [number, number];
    next[edge] = Math.min(high, Math.max(low, edges[edge] + by));
  }
  return next;
}

const screenPlace = ([left, top]: Point) => ({ left, top });

/** Points round a rectangle, each side in so many parts, so that a bent side is drawn bent. */
function edgePoints(l: number, u: number, r: number, d: number, parts: number): Point[] {
  const corners: Point[] = [
    [l, u],
    [r, u],
    [r, d],
    [l, d],
  ];
  return corners.flatMap(([x0, y0], i) => {
    const [x1, y1] = corners[(i + 1) % 4]!;
    return Array.from({ length: parts }, (_, n): Point => [x0 + ((x1 - x0) * n) / parts, y0 + ((y1 - y0) * n) / parts]);
  });
}

export function CropHandles({ material, t }: { material: Material; t: Transform }) {
  const state = useEditor();
  const edges = Object.fromEntries(ALL.map((edge) => [edge, valueOf(state, settingOf(edge)) as number])) as Edges;
  const { view, picture, sample, work, tile } = material.preview;
  const aspect = picture[0] / picture[1];
  const { toScreen, toPhoto } = photoSpace(material, t);
  const at = (x: number, y: number): Point => toScreen(toCapture(view, aspect, [x / 100, y / 100]));
  const outline = (l: number, u: number, r: number, d: number) =>
    path(edgePoints(l, u, r, d, view.plain ? 1 : 12).map(([x, y]) => at(x, y)));
  const crop = outline(edges.left, edges.top, edges.right, edges.bottom);
  const tileRight = (sample[0] + ((sample[2] - sample[0]) * tile[0]) / work[0]) * 100;
  const tileBottom = (sample[1] + ((sample[3] - sample[1]) * tile[1]) / work[1]) * 100;
  const whole = useRef<SVGPathElement>(null);
  const drag = useRef<{ from: Point; edges: Edges; gesture: string; view: CaptureView } | null>(null);
  const place = (event: PointerEvent): [number, number] => {
    const bounds = whole.current!.ownerSVGElement!.getBoundingClientRect();
    return [event.clientX - bounds.left, event.clientY - bounds.top];
  };

  const take = (next: Edges, gesture: string) => {
    const changes: Changes = {};
    for (const edge of ALL) if (next[edge] !== edges[edge]) changes[settingOf(edge)] = Number(next[edge].toFixed(2));
    if (Object.keys(changes).length) change(changes, "Crop", gesture);
  };
  const begin = (event: PointerEvent) => {
    event.stopPropagation();
    holdPointer(event);
    drag.current = {
      from: fromCapture(view, aspect, toPhoto(...place(event))),
      edges,
      gesture: crypto.randomUUID(),
      view,
    };
  };
  const follow = (which: Edge[]) => (event: PointerEvent) => {
    const held = drag.current;
    if (!held || !event.buttons) return;
    event.stopPropagation();
    const [x, y] = fromCapture(held.view, aspect, toPhoto(...place(event)));
    take(movedEdges(held.edges, which, (x - held.from[0]) * 100, (y - held.from[1]) * 100), held.gesture);
  };
  const end = () => (drag.current = null);
  const keyed = (which: Edge[]) => (event: KeyboardEvent) => {
    const by = arrowStep(event, 1, 0.1);
    if (!by) return;
    take(movedEdges(edges, which, by[0], by[1]), "");
  };

  return (
    <>
      <svg className="absolute inset-0 size-full">
        <path
          className="pointer-events-none"
          fillRule="evenodd"
          fill="#000"
          fillOpacity="0.5"
          d={`M-9999-9999h29999v29999h-29999z ${crop}`}
        />
        <path
          ref={whole}
          d={crop}
          role="slider"
          tabIndex={0}
          aria-label="Whole crop"
          aria-valuenow={Math.round(edges.left)}
          aria-valuetext={`from ${edges.left.toFixed(0)}, ${edges.top.toFixed(0)} to ${edges.right.toFixed(0)}, ${edges.bottom.toFixed(0)} % of the flat picture`}
          fill="transparent"
          stroke="var(--amber)"
          strokeWidth="1.500"
          className="cursor-move"
          onPointerDown={begin}
          onPointerMove={follow(ALL)}
          onPointerUp={end}
          onKeyDown={keyed(ALL)}
        />
        <path
          className="pointer-events-none"
          d={outline(sample[0] * 100, sample[1] * 100, tileRight, tileBottom)}
          fill="none"
          stroke="#fff"
          strokeOpacity="0.8"
          strokeDasharray="5 4"
        />
      </svg>
      {HANDLES.map((handle) => (
        <div
          key={handle.name}
          role="slider"
          tabIndex={0}
          aria-label={handle.name}
          aria-valuenow={Math.round(edges[handle.edges[0]!])}
          aria-valuetext={handle.edges.map((edge) => `${edge} ${edges[edge].toFixed(1)} %`).join(", ")}
          className="absolute grid size-6 -translate-1/2 place-items-center"
          style={{
            ...screenPlace(
              at(edges.left + handle.x * (edges.right - edges.left), edges.top + handle.y * (edges.bottom - edges.top)),
            ),
            cursor: handle.cursor,
          }}
          onPointerDown={begin}
          onPointerMove={follow(handle.edges)}
          onPointerUp={end}
          onKeyDown={keyed(handle.edges)}
        >
          <span className="size-[11px] rounded-full border border-black/70 bg-amber" />
        </div>
      ))}
    </>
  );
}
