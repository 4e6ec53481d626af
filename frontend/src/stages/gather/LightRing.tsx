/** The ring of lamps of a light set, drawn as seen from the camera: 0° at the right, counter-clockwise. */
import { ArrowDown, ArrowUp, FlipHorizontal2, ScanSearch, Square } from "lucide-react";
import { useEffect, useState } from "react";
import type { LampRow, Material } from "../../api/types";
import { change, useEditor, valueOf } from "../../editor/store";
import { Button } from "../../ui/Button";
import { Told } from "../../ui/Told";
import { Choice } from "../../ui/Choice";
import { Fold } from "../../ui/Fold";
import { setView } from "../../views/state";
import { Setting } from "../Setting";
import {
  findLamps,
  leaveOut,
  moveFrame,
  type Proof,
  spot,
  standApart,
  turnHalf,
  useLights,
  useRing,
  stopLooking,
} from "./lights";

const R = 82;
const PROOFS: { value: Proof; label: string; hint: string }[] = [
  { value: "photograph", label: "Photo", hint: "The photograph under this lamp" },
  { value: "relit", label: "Relit", hint: "What the solved surface looks like under this lamp" },
  { value: "difference", label: "Differ", hint: "Four times the difference of both" },
  { value: "residual", label: "Rest", hint: "What no surface explains, under all lamps together" },
];

export function LightRing({ material }: { material: Material }) {
  const ring = useRing(material);
  const { shown, found, looking } = useLights();
  const frames = ring.data?.frames ?? [];
  const used = frames.filter((lamp) => lamp.used);
  useEffect(() => () => useLights.setState({ shown: null }), []);
  const show = (number: number, what: Proof = shown?.what ?? "photograph") => {
    setView("first", { what: "gathered", how: "single" });
    useLights.setState({ shown: { number, what } });
  };
  const asked = found?.id === material.id ? found : null;
  return (
    <section aria-label="Light set" className="border-t border-line pt-2">
      <h3 className="flex items-center justify-between font-medium">
        Light set
        {looking ? (
          <Button look="quiet" className="h-6 px-1.5 text-[12px]" onClick={() => stopLooking(material.id)}>
            <Square size={11} /> Stop looking
          </Button>
        ) : (
          <Button look="quiet" className="h-6 px-1.5 text-[12px]" onClick={() => void findLamps()}>
            <ScanSearch size={13} /> Find the lamps
          </Button>
        )}
      </h3>
      <div className="flex justify-center py-1">
        <Rose
          lamps={frames}
          chosen={shown ? used[shown.number]?.file : undefined}
          onChoose={(file) => show(used.findIndex((lamp) => lamp.file === file))}
        />
      </div>
      {shown ? (
        <div className="flex items-center justify-between gap-2 py-1">
          <Choice
            label="What is shown of it"
            value={shown.what}
            options={PROOFS}
            onChange={(what) => show(shown.number, what)}
          />
          <Button look="quiet" className="h-6 px-1.5 text-[12px]" onClick={() => useLights.setState({ shown: null })}>
            Colour
          </Button>
        </div>
      ) : (
        <p className="pb-1 text-center text-[12px] text-soft">Choose a lamp to see its photograph.</p>
      )}
      {asked && <Told rows={asked.told} />}
      <Setting path="gather.lights.first" />
      <Setting path="gather.lights.direction" />
      <Setting path="gather.lights.elevation" />
      <div className="flex items-center justify-between gap-2 py-1">
        <span className="text-[12px] text-soft">Bumps look like dents?</span>
        <Button className="h-6.5 px-2 text-[12px]" onClick={turnHalf}>
          <FlipHorizontal2 size={13} /> Turn by half
        </Button>
      </div>
      {ring.data?.residual != null && (
        <p className="figures py-0.5 text-soft">
          Unexplained {(ring.data.residual * 100).toFixed(1)} % ·{" "}
          {ring.data.glints ? `glints say roughness ${ring.data.roughness!.toFixed(2)}` : "no glints: matt"}
        </p>
      )}
      <Fold title="Photographs" note={`${used.length} of ${frames.length} used`}>
        <ol className="flex flex-col gap-0.5">
          {frames.map((lamp, index) => (
            <Frame key={lamp.file} lamp={lamp} index={index} />
          ))}
        </ol>
        <Setting path="gather.lights.gap" />
      </Fold>
      <Fold title="Put right" note="">
        <Setting path="gather.lights.align" />
        <Setting path="gather.lights.exposure" />
        <Setting path="gather.lights.lamp_light" />
        <Setting path="gather.lights.bend" />
        {material.files.some((file) => file.role === "all_lights") && <Setting path="gather.lights.colour" />}
      </Fold>
    </section>
  );
}

function Frame({ lamp, index }: { lamp: LampRow; index: number }) {
  const put = [
    lamp.shift ? `moved ${lamp.shift.toFixed(1)} px` : "",
    lamp.stops ? `${lamp.stops > 0 ? "+" : ""}${lamp.stops.toFixed(1)} stops` : "",
    lamp.used ? "" : lamp.out ? "left out" : "another size: not used",
  ].filter(Boolean);
  return (
    <li className="flex h-7 items-center gap-1.5">
      <input
        type="checkbox"
        aria-label={`Use ${lamp.name}`}
        title={lamp.out ? "Left out; its place in the ring stays empty" : "Used"}
        checked={!lamp.out}
        onChange={() => leaveOut(lamp)}
        className="accent-(--amber)"
      />
      <span className="figures w-4 text-soft">{index + 1}</span>
      <span
        translate="no"
        className={`min-w-0 flex-1 truncate ${lamp.out ? "text-soft line-through" : ""}`}
        title={lamp.name}
      >
        {lamp.name}
      </span>
      {put.length > 0 && <span className="figures text-soft">{put.join(", ")}</span>}
      <Degrees
        label={`Bearing of ${lamp.name}`}
        value={lamp.bearing}
        own={lamp.own}
        top={359.9}
        onTake={(bearing) => standApart(lamp, { bearing })}
      />
      <Degrees
        label={`Elevation of ${lamp.name}`}
        value={lamp.elevation}
        own={lamp.own}
        top={85}
        onTake={(elevation) => standApart(lamp, { elevation })}
      />
      {lamp.own && (
        <button
          type="button"
          aria-label={`Put ${lamp.name} back in the ring`}
          title="Back in the ring"
          className="grid size-4 place-items-center rounded-full hover:bg-lifted"
          onClick={() => standApart(lamp, null)}
        >
          <span className="size-[5px] rounded-full bg-amber" />
        </button>
      )}
      <button
        type="button"
        aria-label={`${lamp.name} earlier`}
        className="rounded-[5px] p-0.5 text-soft hover:bg-lifted hover:text-text"
        onClick={() => moveFrame(lamp.file, -1)}
      >
        <ArrowUp size={12} />
      </button>
      <button
        type="button"
        aria-label={`${lamp.name} later`}
        className="rounded-[5px] p-0.5 text-soft hover:bg-lifted hover:text-text"
        onClick={() => moveFrame(lamp.file, 1)}
      >
        <ArrowDown size={12} />
      </button>
    </li>
  );
}

/** Degrees of one lamp; typing others lets it stand out of the ring. */
function Degrees({
  label,
  value,
  own,
  top,
  onTake,
}: {
  label: string;
  value: number;
  own: boolean;
  top: number;
  onTake: (value: number) => void;
}) {
  const [draft, setDraft] = useState<string | null>(null);
  const take = () => {
    const next = Number(draft);
    if (draft !== null && draft.trim() && Number.isFinite(next) && Math.abs(next - value) > 0.05)
      onTake(Math.min(top, Math.max(top > 90 ? 0 : 5, next)));
    setDraft(null);
  };
  return (
    <input
      aria-label={label}
      title={`${label}, degrees`}
      value={draft ?? `${value.toFixed(0)}°`}
      onFocus={() => setDraft(value.toFixed(1))}
      onChange={(event) => setDraft(event.target.value)}
      onBlur={take}
      onKeyDown={(event) => event.key === "Enter" && event.currentTarget.blur()}
      className={`figures h-6 w-10 rounded-[5px] border border-transparent bg-transparent text-right outline-none hover:border-line focus:border-amber ${own ? "text-text" : "text-soft"}`}
    />
  );
}

/** Drag the ring to turn all lamps; press a lamp to see its photograph. */
function Rose({
  lamps,
  chosen,
  onChoose,
}: {
  lamps: LampRow[];
  chosen: string | undefined;
  onChoose: (file: string) => void;
}) {
  const [drag, setDrag] = useState<{ from: number; first: number; gesture: string } | null>(null);
  const first = Number(useEditor((state) => valueOf(state, "gather.lights.first")));
  const turnOf = (event: React.PointerEvent) => {
    const box = event.currentTarget.getBoundingClientRect();
    return (
      (-Math.atan2(event.clientY - box.top - box.height / 2, event.clientX - box.left - box.width / 2) * 180) / Math.PI
    );
  };
  return (
    <svg
      viewBox="-114 -108 228 216"
      width="228"
      height="216"
      role="group"
      aria-label="Lamps round the surface"
      className="touch-none cursor-grab"
      onPointerDown={(event) => {
        event.currentTarget.setPointerCapture(event.pointerId);
        setDrag({ from: turnOf(event), first, gesture: crypto.randomUUID() });
      }}
      onPointerMove={(event) => {
        if (!drag || !(event.buttons & 1)) return;
        const next = Math.round((drag.first + turnOf(event) - drag.from + 720) % 360);
        if (next !== first) change({ "gather.lights.first": next % 360 }, "First lamp", drag.gesture);
      }}
      onPointerUp={() => setDrag(null)}
    >
      <circle r={R} fill="none" stroke="var(--line)" />
      <circle r={R / 2} fill="none" stroke="var(--line)" strokeDasharray="2 4" />
      <path d={`M0 ${-R}V${R}M${-R} 0H${R}`} stroke="var(--line)" strokeDasharray="2 4" />
      {[0, 90, 180, 270].map((at) => (
        <text
          key={at}
          x={(R + 12) * Math.cos((at * Math.PI) / 180)}
          y={-(R + 12) * Math.sin((at * Math.PI) / 180) + 3.5}
          textAnchor="middle"
          fontSize="9.500"
          fill="var(--soft)"
          className="figures"
        >
          {at}°
        </text>
      ))}
      <rect x="-15" y="-15" width="30" height="30" rx="2" fill="var(--raised)" stroke="var(--line)" />
      {lamps.map((lamp) => {
        const [x, y] = spot(lamp, R);
        return (
          <path
            key={lamp.file}
            d={`M${x * 0.82} ${y * 0.82}L${x * 0.34} ${y * 0.34}`}
            stroke={chosen === lamp.file ? "var(--amber)" : "var(--line)"}
            strokeWidth="1.500"
          />
        );
      })}
      {lamps.map((lamp, index) => {
        const [x, y] = spot(lamp, R);
        return (
          <g
            key={lamp.file}
            role="button"
            tabIndex={0}
            aria-label={`Lamp ${index + 1}, ${lamp.bearing.toFixed(0)}°`}
            aria-pressed={chosen === lamp.file}
            className={lamp.used ? "cursor-pointer outline-none focus-visible:[&>circle]:stroke-text" : "opacity-40"}
            onPointerDown={(event) => event.stopPropagation()}
            onClick={() => lamp.used && onChoose(lamp.file)}
            onKeyDown={(event) => (event.key === "Enter" || event.key === " ") && lamp.used && onChoose(lamp.file)}
          >
            <circle
              cx={x}
              cy={y}
              r="10"
              fill={chosen === lamp.file ? "var(--amber)" : "var(--lifted)"}
              stroke={index === 0 ? "var(--amber)" : "var(--soft)"}
              strokeWidth={index === 0 ? 2 : 1}
            />
            <text
              x={x}
              y={y + 3.5}
              textAnchor="middle"
              fontSize="10"
              fill={chosen === lamp.file ? "var(--on-amber)" : "var(--text)"}
              className="figures"
            >
              {index + 1}
            </text>
          </g>
        );
      })}
    </svg>
  );
}
