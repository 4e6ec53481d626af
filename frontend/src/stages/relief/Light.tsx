/** What the height is read from and why, with the light's bearing to turn by hand. */
import { FlipVertical2 } from "lucide-react";
import { type KeyboardEvent, type PointerEvent, useRef } from "react";
import { useFigures } from "../../editor/figures";
import { change, useEditor, valueOf } from "../../editor/store";
import type { Material } from "../../api/types";
import { arrowStep } from "../../ui/arrows";
import { Button } from "../../ui/Button";
import { Setting } from "../Setting";
import { ByEye } from "./ByEye";
import { Stones } from "./Stones";

const SIDES = ["right", "top right", "top", "top left", "left", "bottom left", "bottom", "bottom right"];
const sideOf = (bearing: number) => SIDES[Math.round(bearing / 45) % 8]!;

/** Why this height, in words: from which side it is lit, how much that counts, how sure it is. */
function reason(bearing: number, shading: number, weight: number, estimator: string, two: boolean): string {
  if (two && shading > 0)
    return `Two lights tell the slopes, whatever the colour: seen from the other, this one comes from the ${sideOf(bearing)} (${bearing.toFixed(0)}°).`;
  const lit = `The light comes from the ${sideOf(bearing)} (${bearing.toFixed(0)}°), so flanks that face it are bright.`;
  if (estimator === "tone") return "Bright is taken for high, dark for deep.";
  if (estimator === "recesses") return "Dark, narrow places are taken for deep; broad tones are left alone.";
  if (estimator === "shading")
    return weight > 0 ? lit : `No side is seen to light it; ${bearing.toFixed(0)}° is a guess.`;
  if (shading === 0)
    return "No one side is seen to light it, so dark places are taken for deep: look whether that is true here.";
  const sure = weight >= 0.5 ? "Quite sure." : weight >= 0.3 ? "Fairly sure." : "Not very sure: look at the lit view.";
  return `${lit} Shading counts ${Math.round(shading * 100)} %, tone the rest. ${sure}`;
}

export function Light({ material }: { material: Material }) {
  const found = useFigures(material)?.evidence ?? {};
  const estimator = useEditor((state) => valueOf(state, "relief.cues.estimator")) as string;
  const bearing = found["formed.bearing"];
  const shading = found["formed.shading"] ?? 0;
  const inverted = useEditor((state) => valueOf(state, "relief.height.invert")) as boolean;
  const shaded = shading > 0;
  return (
    <section aria-label="Height from colour">
      <Setting path="relief.cues.estimator" />
      <div className="flex items-center gap-2.5 pb-1">
        {shaded && bearing !== undefined && <Dial bearing={bearing} />}
        <p data-testid="reason" className="flex-1 text-[12px] text-soft">
          {bearing === undefined
            ? "Looking at the light …"
            : reason(bearing, shading, found["formed.weight"] ?? 0, estimator, Boolean(found["formed.two_lights"]))}
        </p>
      </div>
      <Button
        aria-pressed={inverted}
        className="mb-1 h-6.5 w-full text-[12px]"
        onClick={() => change({ "relief.height.invert": !inverted }, "Bumps and dents swapped")}
      >
        <FlipVertical2 size={13} /> Swap bumps and dents
      </Button>
      {shaded && <Setting path="relief.cues.other_end" />}
      <ByEye material={material} />
      <Stones material={material} />
    </section>
  );
}

const [SIZE, MIDDLE, RIM] = [56, 28, 21];

/** The light's bearing: drag it, or turn it with the arrow keys. */
function Dial({ bearing }: { bearing: number }) {
  const gesture = useRef("");
  const [x, y] = [
    MIDDLE + Math.cos((bearing * Math.PI) / 180) * RIM,
    MIDDLE - Math.sin((bearing * Math.PI) / 180) * RIM,
  ];
  const take = (next: number) =>
    change(
      {
        "relief.cues.light": "typed",
        "relief.cues.bearing": ((Math.round(next) % 360) + 360) % 360,
        "relief.cues.other_end": false,
      },
      "Bearing of the light",
      gesture.current,
    );
  const drag = (event: PointerEvent) => {
    if (!event.buttons) return;
    const bounds = event.currentTarget.getBoundingClientRect();
    take((Math.atan2(bounds.top + MIDDLE - event.clientY, event.clientX - bounds.left - MIDDLE) * 180) / Math.PI);
  };
  const keyed = (event: KeyboardEvent) => {
    const by = arrowStep(event, 5, 1);
    if (by) take(bearing - by[0] - by[1]);
  };
  return (
    <svg
      width={SIZE}
      height={SIZE}
      role="slider"
      tabIndex={0}
      aria-label="Bearing of the light"
      aria-valuenow={Math.round(bearing)}
      aria-valuemin={0}
      aria-valuemax={360}
      aria-valuetext={`from the ${sideOf(bearing)}, ${Math.round(bearing)}°`}
      className="shrink-0 cursor-crosshair touch-none rounded-full"
      onPointerDown={(event) => {
        event.currentTarget.setPointerCapture(event.pointerId);
        gesture.current = crypto.randomUUID();
        drag(event);
      }}
      onPointerMove={drag}
      onPointerUp={() => (gesture.current = "")}
      onKeyDown={keyed}
    >
      <title>Where the light comes from. Drag to set it yourself.</title>
      <rect x="13" y="13" width="30" height="30" rx="3" fill="var(--raised)" stroke="var(--line)" />
      <path d={`M${x} ${y}L${MIDDLE} ${MIDDLE}`} stroke="var(--amber)" strokeWidth="1.500" strokeDasharray="3 2" />
      <circle cx={x} cy={y} r="5" fill="var(--amber)" />
    </svg>
  );
}
