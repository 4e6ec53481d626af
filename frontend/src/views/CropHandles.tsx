/** The crop drawn on the photograph: drag edges, corners or the whole; arrow keys move a focused handle. */
import { type KeyboardEvent, type PointerEvent, useRef } from "react";
import { type Changes, change, useBench, valueOf } from "../bench/store";
import type { Material, SettingPath } from "../api/types";
import { extent, type Transform } from "./space";

type Edge = "left" | "top" | "right" | "bottom";
type Edges = Record<Edge, number>;

const LEAST = 2;
const path = (edge: Edge): SettingPath => `square.crop.${edge}`;
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

export function CropHandles({ material, t }: { material: Material; t: Transform }) {
  const state = useBench();
  const edges = Object.fromEntries(ALL.map((edge) => [edge, valueOf(state, path(edge)) as number])) as Edges;
  const photo = extent("gathered", material.preview);
  const at = (x: number, y: number) => t.toScreen(photo.left + (x / 100) * photo.width, photo.top + (y / 100) * photo.height);
  const [left, top] = at(edges.left, edges.top);
  const [right, bottom] = at(edges.right, edges.bottom);
  const [sampleLeft, sampleTop] = t.toScreen(0, 0);
  const [tileRight, tileBottom] = t.toScreen(1, 1);
  const drag = useRef<{ px: number; py: number; edges: Edges; gesture: string; perX: number; perY: number; t: Transform } | null>(null);

  const take = (next: Edges, gesture: string) => {
    const changes: Changes = {};
    for (const edge of ALL) if (next[edge] !== edges[edge]) changes[path(edge)] = Number(next[edge].toFixed(2));
    if (Object.keys(changes).length) change(changes, "Crop", gesture);
  };
  const begin = (event: PointerEvent) => {
    event.stopPropagation();
    event.currentTarget.setPointerCapture(event.pointerId);
    const [x0, y0] = at(0, 0);
    const [x1, y1] = at(100, 100);
    drag.current = { px: event.clientX, py: event.clientY, edges, gesture: crypto.randomUUID(), perX: 100 / (x1 - x0), perY: 100 / (y1 - y0), t };
  };
  const follow = (which: Edge[]) => (event: PointerEvent) => {
    const from = drag.current;
    if (!from || !event.buttons) return;
    event.stopPropagation();
    take(movedEdges(from.edges, which, (event.clientX - from.px) * from.perX, (event.clientY - from.py) * from.perY), from.gesture);
  };
  const end = () => (drag.current = null);
  const keyed = (which: Edge[]) => (event: KeyboardEvent) => {
    const step = event.shiftKey ? 0.1 : 1;
    const [dx, dy] = ({ ArrowLeft: [-step, 0], ArrowRight: [step, 0], ArrowUp: [0, -step], ArrowDown: [0, step] } as Record<string, [number, number]>)[event.key] ?? [0, 0];
    if (!dx && !dy) return;
    event.preventDefault();
    event.stopPropagation();
    take(movedEdges(edges, which, dx, dy), "");
  };

  return (
    <>
      <svg className="pointer-events-none absolute inset-0 size-full" aria-hidden>
        <path fillRule="evenodd" fill="#000" fillOpacity="0.5" d={`M-9999-9999h29999v29999h-29999z M${left} ${top}H${right}V${bottom}H${left}z`} />
        <rect x={left} y={top} width={right - left} height={bottom - top} fill="none" stroke="#000" strokeOpacity="0.6" strokeWidth="3" />
        <rect x={left} y={top} width={right - left} height={bottom - top} fill="none" stroke="var(--amber)" strokeWidth="1.5" />
        <rect x={sampleLeft} y={sampleTop} width={tileRight - sampleLeft} height={tileBottom - sampleTop} fill="none" stroke="#fff" strokeOpacity="0.8" strokeDasharray="5 4" />
      </svg>
      <div
        role="slider"
        tabIndex={0}
        aria-label="Whole crop"
        aria-valuenow={Math.round(edges.left)}
        aria-valuetext={`from ${edges.left.toFixed(0)}, ${edges.top.toFixed(0)} to ${edges.right.toFixed(0)}, ${edges.bottom.toFixed(0)} % of the picture`}
        className="absolute cursor-move"
        style={{ left, top, width: right - left, height: bottom - top }}
        onPointerDown={begin}
        onPointerMove={follow(ALL)}
        onPointerUp={end}
        onKeyDown={keyed(ALL)}
      />
      {HANDLES.map((handle) => (
        <div
          key={handle.name}
          role="slider"
          tabIndex={0}
          aria-label={handle.name}
          aria-valuenow={Math.round(edges[handle.edges[0]!])}
          aria-valuetext={handle.edges.map((edge) => `${edge} ${edges[edge].toFixed(1)} %`).join(", ")}
          className="absolute grid size-6 -translate-1/2 place-items-center"
          style={{ left: left + handle.x * (right - left), top: top + handle.y * (bottom - top), cursor: handle.cursor }}
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
