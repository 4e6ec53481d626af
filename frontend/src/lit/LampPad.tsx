/** The lamp: drag it round the surface; the middle is overhead, the rim rakes. */
import { type KeyboardEvent, type PointerEvent, useRef } from "react";
import { useLit } from "./state";

const RADIUS = 38;
const RIM = 32;

export function LampPad() {
  const { bearing, elevation } = useLit();
  const pad = useRef<HTMLDivElement>(null);
  const away = ((90 - elevation) / 90) * RIM;
  const x = RADIUS + Math.cos((bearing * Math.PI) / 180) * away;
  const y = RADIUS - Math.sin((bearing * Math.PI) / 180) * away;
  const take = (event: PointerEvent) => {
    if (event.type !== "pointerdown" && !event.buttons) return;
    const bounds = pad.current!.getBoundingClientRect();
    const dx = event.clientX - bounds.left - RADIUS;
    const dy = RADIUS - (event.clientY - bounds.top);
    const far = Math.min(RIM, Math.hypot(dx, dy));
    useLit.setState({
      bearing: Math.round(((Math.atan2(dy, dx) * 180) / Math.PI + 360) % 360),
      elevation: Math.max(2, Math.round(90 - (far / RIM) * 90)),
    });
  };
  const keyed = (event: KeyboardEvent) => {
    const [turn, lift] = (
      { ArrowLeft: [5, 0], ArrowRight: [-5, 0], ArrowUp: [0, 5], ArrowDown: [0, -5] } as Record<
        string,
        [number, number]
      >
    )[event.key] ?? [0, 0];
    if (!turn && !lift) return;
    event.preventDefault();
    useLit.setState({ bearing: (bearing + turn + 360) % 360, elevation: Math.min(90, Math.max(2, elevation + lift)) });
  };
  return (
    <div
      ref={pad}
      role="slider"
      tabIndex={0}
      aria-label="Where the lamp is"
      aria-valuenow={bearing}
      aria-valuemin={0}
      aria-valuemax={360}
      aria-valuetext={`from ${bearing}°, ${elevation}° above the surface`}
      title={`Lamp from ${bearing}°, ${elevation}° above the surface. Drag to move it.`}
      onPointerDown={(event) => {
        event.currentTarget.setPointerCapture(event.pointerId);
        take(event);
      }}
      onPointerMove={take}
      onKeyDown={keyed}
      className="absolute right-3 bottom-3 cursor-crosshair touch-none rounded-full bg-ground/85"
      style={{ width: 2 * RADIUS, height: 2 * RADIUS }}
    >
      <svg width={2 * RADIUS} height={2 * RADIUS} aria-hidden>
        <circle cx={RADIUS} cy={RADIUS} r={RIM} fill="none" stroke="var(--line)" />
        <circle cx={RADIUS} cy={RADIUS} r={RIM / 2} fill="none" stroke="var(--line)" />
        <line x1={RADIUS} y1={RADIUS} x2={x} y2={y} stroke="var(--amber)" strokeWidth="1.5" />
        <circle cx={x} cy={y} r="6" fill="var(--amber)" />
      </svg>
    </div>
  );
}
