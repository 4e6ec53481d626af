/** Comparing the two views: a line to wipe with, blinking, the difference; with numbers. */
import { holdPointer } from "./hold";
import { type PointerEvent, useEffect, useState } from "react";
import { useCompared } from "../editor/figures";
import type { LayerId, Material } from "../api/types";
import { arrowStep } from "../ui/arrows";
import { Slider } from "../ui/Slider";
import { layerName } from "./names";
import { useViews } from "./state";

const BLINK_MS = 600;

/** Turns over and over while it is wanted. */
export function useBlink(on: boolean): boolean {
  const [turned, setTurned] = useState(false);
  useEffect(() => {
    if (!on) return;
    const timer = setInterval(() => setTurned((was) => !was), BLINK_MS);
    return () => {
      clearInterval(timer);
      setTurned(false);
    };
  }, [on]);
  return on && turned;
}

const set = (changed: Partial<{ split: number; gain: number }>) =>
  useViews.setState(({ compare }) => ({ compare: { ...compare, ...changed } }));

export function CompareBar({
  material,
  one,
  other,
  then,
  width,
}: {
  material: Material;
  one: LayerId;
  other: LayerId;
  then: number | null;
  width: number;
}) {
  const { mode, split, gain } = useViews((state) => state.compare);
  const found = useCompared(material, one, other, then);
  const drag = (event: PointerEvent) => {
    if (!event.buttons) return;
    event.stopPropagation();
    const bounds = event.currentTarget.parentElement!.getBoundingClientRect();
    set({ split: Math.min(1, Math.max(0, (event.clientX - bounds.left) / bounds.width)) });
  };
  return (
    <>
      {mode === "wipe" && (
        <div
          role="slider"
          tabIndex={0}
          aria-label="Wipe"
          aria-valuenow={Math.round(split * 100)}
          aria-valuemin={0}
          aria-valuemax={100}
          className="absolute top-0 h-full w-4 -translate-x-1/2 cursor-ew-resize touch-none"
          style={{ left: split * width }}
          onPointerDown={(event) => {
            event.stopPropagation();
            holdPointer(event);
          }}
          onPointerMove={drag}
          onKeyDown={(event) => {
            const by = arrowStep(event, 0.05, 0.01);
            if (by) set({ split: Math.min(1, Math.max(0, split + by[0])) });
          }}
        >
          <span className="absolute inset-y-0 left-1/2 w-0.5 -translate-x-1/2 bg-amber" />
        </div>
      )}
      <p
        data-testid="compared"
        className="figures pointer-events-none absolute top-2 left-2 rounded-[5px] bg-ground/85 px-2 py-1"
      >
        {layerName(one)} · {then === null ? layerName(other) : material.snapshots.find((s) => s.id === then)?.name}
        {found &&
          (found.rms === null ? (
            <span className="pl-3 text-soft">{found.why}</span>
          ) : (
            <span className="pl-3">
              rms {found.rms.toFixed(4)}, at most {found.largest!.toFixed(3)}
            </span>
          ))}
      </p>
      {mode === "difference" && (
        <div
          className="absolute bottom-3 left-3 flex w-44 items-center gap-2 rounded-card bg-ground/85 px-2.5 py-1.5"
          onPointerDown={(event) => event.stopPropagation()}
        >
          <Slider
            label="Gain of the difference"
            value={gain}
            min={1}
            max={32}
            step={1}
            valueText={`${gain} times`}
            onChange={(next) => set({ gain: next })}
          />
          <span className="figures w-9 text-right">{gain} ×</span>
        </div>
      )}
    </>
  );
}
