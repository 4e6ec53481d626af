/** The two views with the divider between them. */
import { type KeyboardEvent, type PointerEvent, useRef } from "react";
import type { Material } from "../api/types";
import { useNarrow } from "../ui/useNarrow";
import { useGuide } from "../guide/state";
import { Pane } from "./Pane";
import { useViews } from "./state";

function share(split: number) {
  const clamped = Math.min(0.85, Math.max(0.15, split));
  useViews.setState(({ stage, splits }) => ({ splits: { ...splits, [stage]: clamped } }));
}

export function Views({ material }: { material: Material }) {
  const arrangement = useViews((state) => state.arrangement);
  const split = useViews((state) => state.splits[state.stage]);
  const room = useRef<HTMLDivElement>(null);
  const narrow = useNarrow();
  const reading = useGuide((state) => state.page) !== null;
  const active = useViews((state) => state.active);
  if (arrangement === "first" || arrangement === "second") return <Pane side={arrangement} material={material} />;
  // The guide takes the room of one of them, unless there is plenty.
  if (narrow || (reading && innerWidth < 1500)) return <Pane side={active} material={material} />;
  const stacked = arrangement === "stacked";
  const move = (event: PointerEvent) => {
    if (!event.buttons || !room.current) return;
    const bounds = room.current.getBoundingClientRect();
    share(stacked ? (event.clientY - bounds.top) / bounds.height : (event.clientX - bounds.left) / bounds.width);
  };
  const keyed = (event: KeyboardEvent) => {
    const by = { ArrowLeft: -0.02, ArrowUp: -0.02, ArrowRight: 0.02, ArrowDown: 0.02 }[event.key];
    if (by) share(split + by);
  };
  const first = `${split * 100}%`;
  return (
    <div ref={room} className={`flex size-full min-h-0 min-w-0 ${stacked ? "flex-col" : ""}`}>
      <div className="min-h-0 min-w-0" style={{ flex: `0 0 calc(${first} - 3px)` }}>
        <Pane side="first" material={material} />
      </div>
      <div
        role="separator"
        tabIndex={0}
        aria-label="Divider between the views"
        aria-orientation={stacked ? "horizontal" : "vertical"}
        aria-valuenow={Math.round(split * 100)}
        title="Drag to share the room; double-click for the second view alone"
        onPointerDown={(event) => event.currentTarget.setPointerCapture(event.pointerId)}
        onPointerMove={move}
        onDoubleClick={() => useViews.setState({ arrangement: "second" })}
        onKeyDown={keyed}
        className={`shrink-0 bg-ground hover:bg-amber ${stacked ? "h-1.5 cursor-row-resize" : "w-1.5 cursor-col-resize"}`}
      />
      <div className="min-h-0 min-w-0 flex-1">
        <Pane side="second" material={material} />
      </div>
    </div>
  );
}
