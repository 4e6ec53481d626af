/** The line at the bottom: what lies under the pointer in all maps, seam figures, what is being computed. */
import { useEffect, useRef, useState } from "react";
import { api } from "../api/client";
import type { Material, Probe } from "../api/types";
import { whatName } from "../views/names";
import { useViews } from "../views/state";
import { useBusy, useWorking } from "./busy";
import { useFigures } from "./figures";
import { finishedHeight, finishedWidth, isCutOut } from "./finished";

/** Values of all maps under the pointer; one question at a time, always the newest place. */
function useProbe(material: Material): Probe | null {
  const pointer = useViews((state) => state.pointer);
  const [probe, setProbe] = useState<Probe | null>(null);
  const flying = useRef(false);
  const wanted = useRef<{ x: number; y: number } | null>(null);
  useEffect(() => {
    wanted.current = pointer;
    if (!pointer || flying.current) return;
    const ask = async () => {
      flying.current = true;
      while (wanted.current) {
        const place = wanted.current;
        wanted.current = null;
        const answer = await api.probe(material.id, place.x, place.y).catch(() => null);
        if (answer) setProbe(answer);
        await new Promise((resolve) => setTimeout(resolve, 40));
      }
      flying.current = false;
    };
    void ask();
  }, [pointer, material.id, material.revision]);
  return pointer ? probe : null;
}

/** What a screen reader is told: values where keys move the crosshair, once it rests, and long work by quarters. */
function useHeard(probe: Probe | null, working: string): string {
  const [heard, setHeard] = useState("");
  useEffect(() => {
    const seen = document.activeElement?.matches("[data-testid^=view-]:focus-visible") ?? false;
    if (!probe || !seen) return;
    const { base_color, height, roughness } = probe;
    const words = `Base ${base_color.join(" ")}, height ${signed(height)}, roughness ${signed(roughness)}`;
    const timer = setTimeout(() => setHeard(words), 500);
    return () => clearTimeout(timer);
  }, [probe]);
  return working || heard;
}

const wrapped = (n: number, size: number) => Math.floor((((n % 1) + 1) % 1) * size);
const signed = (n: number) =>
  n
    .toFixed(2)
    .replace("-", "−")
    .replace(/^(−?)0/, "$1");

export function Readout({ material }: { material: Material }) {
  const pointer = useViews((state) => state.pointer);
  const probe = useProbe(material);
  const figures = useFigures(material);
  // A cut-out does not repeat, so its seams say nothing.
  const cut = isCutOut(material);
  const running = useBusy((state) => state.running);
  const working = useWorking((state) => state.now);
  const [width, height] = [finishedWidth(material), finishedHeight(material)];
  const mm = material.preview.tile_mm;
  const doing = Object.keys(running).map(
    (what) =>
      ({ figures: "seams", lit: "the lit view", lamps: "sense of the lamps" })[what] ??
      whatName(what as "lit")?.toLowerCase() ??
      what,
  );
  const heard = useHeard(probe, working ? `${working.what}, ${Math.round(working.share * 4) * 25} %` : "");
  const px = pointer && [wrapped(pointer.x, width), wrapped(pointer.y, height)];
  return (
    <footer className="figures flex h-8 shrink-0 items-center gap-4 overflow-hidden border-t border-line bg-ground px-3 whitespace-nowrap">
      {px && probe ? (
        <>
          <span>
            {px[0]}, {px[1]} px
            {mm !== null && (
              <b className="pl-2 font-semibold">{`${((px[0]! / width) * mm).toFixed(1)}, ${((px[1]! / width) * mm).toFixed(1)} mm`}</b>
            )}
          </span>
          <Value name="Base" value={probe.base_color.join(" ")} />
          <Value
            name="Height"
            value={probe.height_mm === null ? signed(probe.height) : `${probe.height_mm.toFixed(2)} mm`}
          />
          <Value name="Normal" value={probe.normal.map(signed).join(" ")} />
          <Value name="Rough" value={signed(probe.roughness)} />
          <Value name="Metal" value={signed(probe.metallic)} />
          <Value name="AO" value={signed(probe.ambient_occlusion)} />
        </>
      ) : (
        <span className="text-soft">Point at a picture to read all maps there</span>
      )}
      <span className="flex-1" />
      <span role="status" className="sr-only">
        {heard}
      </span>
      <span className="text-soft" data-testid="doing">
        {working && doing.length
          ? `${working.what}, ${Math.round(working.share * 100)} %`
          : doing.length
            ? `Making ${doing.join(", ")} …`
            : ""}
      </span>
      {figures && !cut && (
        <>
          <Value name="Seam" value={figures.seam.map((s) => s.border.toFixed(1)).join(" ")} />
          <Value name="Drift" value={figures.drift.toFixed(1)} />
        </>
      )}
    </footer>
  );
}

function Value({ name, value }: { name: string; value: string }) {
  return (
    <span>
      <span className="text-soft">{name}</span> <b className="font-semibold">{value}</b>
    </span>
  );
}
