import { roles } from "../api/about";
import type { MapRole, Material } from "../api/types";
import { Choice } from "../ui/Choice";
import { Slider } from "../ui/Slider";
import { Switch } from "../ui/Switch";
import { request } from "../api/client";
import { useFigures } from "../editor/figures";
import { Pick } from "../ui/Pick";
import { tell, tellProblem } from "../ui/notices";
import { layerName } from "../views/names";
import { keepShapeFile } from "./files";
import { readShape } from "./own";
import { type LitSetup, type Surroundings, useLit } from "./state";

const SURROUNDINGS: { value: Surroundings; label: string }[] = [
  { value: "studio", label: "Studio" },
  { value: "overcast", label: "Overcast" },
  { value: "sun", label: "Sun" },
];
/** Ways of showing relief, and what each can and cannot do. */
const RELIEF: { value: LitSetup["relief"]; label: string; why: string }[] = [
  { value: "displaced", label: "All maps", why: "The height moves the surface: outlines and shadows are true." },
  {
    value: "normal",
    label: "Normals",
    why: "Light follows every slope, but the outline stays flat and nothing hides.",
  },
  {
    value: "bump",
    label: "Bump",
    why: "The height bends light point by point: fine steps break up, and slopes hang on how near one looks.",
  },
  { value: "colour", label: "Colour alone", why: "Without relief, only what was baked into the colour looks deep." },
];
const FINENESS = [0, 64, 128, 256, 512];

export function LitOptions({ material }: { material: Material }) {
  const setup = useLit();
  const set = useLit.setState;
  const depth = useFigures(material)?.evidence["height.depth_mm"];
  const rows: {
    label: string;
    key: "displacement" | "lamp" | "exposure" | "repeat" | "skyTurn" | "skyLight" | "varnish";
    min: number;
    max: number;
    step: number;
    mark: number;
    text: string;
  }[] = [
    {
      label: "Displacement",
      key: "displacement",
      min: 0,
      max: 300,
      step: 5,
      mark: 100,
      text: depth === undefined ? `${setup.displacement} %` : `${((depth * setup.displacement) / 100).toFixed(1)} mm`,
    },
    {
      label: "Turned",
      key: "skyTurn",
      min: -180,
      max: 180,
      step: 5,
      mark: 0,
      text: `${setup.skyTurn}°`,
    },
    {
      label: "Brightness",
      key: "skyLight",
      min: 0,
      max: 2,
      step: 0.05,
      mark: 1,
      text: `${Math.round(setup.skyLight * 100)} %`,
    },
    { label: "Varnish", key: "varnish", min: 0, max: 100, step: 5, mark: 0, text: `${setup.varnish} %` },
    { label: "Repeats", key: "repeat", min: 1, max: 8, step: 1, mark: 2, text: `${setup.repeat} ×` },
    { label: "Lamp", key: "lamp", min: 0, max: 6, step: 0.1, mark: 1, text: setup.lamp.toFixed(1) },
    {
      label: "Exposure",
      key: "exposure",
      min: -3,
      max: 3,
      step: 0.1,
      mark: -0.4,
      text: `${setup.exposure.toFixed(1)} EV`,
    },
  ];
  return (
    <div className="flex flex-col gap-2.5">
      <div className="flex items-center justify-between">
        <span>Surroundings</span>
        <Choice
          label="Surroundings"
          value={setup.surroundings}
          options={[...SURROUNDINGS, ...(setup.panorama ? [{ value: setup.panoramaName, label: "Own" }] : [])]}
          onChange={(surroundings) => set({ surroundings })}
        />
      </div>
      <div className="flex items-center justify-between">
        <span className="truncate text-soft">{setup.panorama || "A panorama of your own"}</span>
        <Open label="Open a panorama" accept=".hdr,.exr,.jpg,.jpeg,.png,.tif,.tiff,.webp" onFile={openPanorama} />
      </div>
      {rows.map((row) => (
        <div key={row.key} className="grid grid-cols-[92px_1fr_52px] items-center gap-2">
          <span>{row.label}</span>
          <Slider
            label={row.label}
            value={setup[row.key]}
            min={row.min}
            max={row.max}
            step={row.step}
            mark={row.mark}
            valueText={row.text}
            onChange={(value) => set({ [row.key]: value })}
            onReset={() => set({ [row.key]: row.mark })}
          />
          <span className="figures text-right">{row.text}</span>
        </div>
      ))}
      <label className="flex items-center justify-between">
        <span>Surroundings are seen</span>
        <Switch
          label="Surroundings are seen"
          checked={setup.background}
          onChange={(background) => set({ background })}
        />
      </label>
      <label className="flex items-center justify-between">
        <span>Lamp casts shadows</span>
        <Switch label="Lamp casts shadows" checked={setup.shadows} onChange={(shadows) => set({ shadows })} />
      </label>
      <div className="flex items-center justify-between">
        <span>Relief as</span>
        <Pick
          label="Relief as"
          value={setup.relief}
          groups={[{ options: RELIEF.map(({ value, label }) => ({ value, label })) }]}
          onChange={(relief) => set({ relief })}
          className="h-6.5 px-2"
        />
      </div>
      <p className="text-[12px] text-soft">{RELIEF.find(({ value }) => value === setup.relief)!.why}</p>
      <label className="flex items-center justify-between">
        <span>Lamp behind it</span>
        <Switch label="Lamp behind it" checked={setup.behind} onChange={(behind) => set({ behind })} />
      </label>
      <div className="flex items-center justify-between">
        <span>Mesh</span>
        <Pick
          label="Fineness of the mesh"
          value={String(setup.fineness)}
          groups={[{ options: FINENESS.map((n) => ({ value: String(n), label: n ? `${n} parts` : "What is quick" })) }]}
          onChange={(next) => set({ fineness: Number(next) })}
          className="h-6.5 px-2"
        />
      </div>
      <label className="flex items-center justify-between">
        <span>Perspective</span>
        <Switch label="Perspective" checked={!setup.parallel} onChange={(on) => set({ parallel: !on })} />
      </label>
      <div className="flex items-center justify-between">
        <span className="truncate text-soft">{setup.shapeFile || "A shape of your own, OBJ or GLB"}</span>
        <Open label="Open a shape" accept=".obj,.glb" onFile={(file) => openShape(material.id, file)} />
      </div>
      <p className="border-t border-line pt-2 text-soft">Maps that take part</p>
      <div className="grid grid-cols-2 gap-x-4 gap-y-1.5">
        {roles()
          .filter(({ id, lit }) => lit && material.keys[id])
          .map(({ id }) => id as MapRole)
          .map((role) => (
            <label key={role} className="flex items-center justify-between gap-2">
              <span>{layerName(role)}</span>
              <Switch
                label={`${layerName(role)} takes part`}
                checked={!setup.off.includes(role)}
                onChange={(on) => set({ off: on ? setup.off.filter((r) => r !== role) : [...setup.off, role] })}
              />
            </label>
          ))}
      </div>
      <p className="text-[12px] text-soft">
        {material.preview.tile_mm
          ? `One tile is ${material.preview.tile_mm.toFixed(0)} mm wide; 100 % displaces by the true depth.`
          : "100 % displaces by the depth that the normal map shows."}
      </p>
    </div>
  );
}

async function openPanorama(file: File) {
  try {
    const answer = await request(`/api/surroundings?file=${encodeURIComponent(file.name)}`, {
      method: "POST",
      body: file,
    });
    const { name, label } = (await answer.json()) as { name: Surroundings; label: string };
    useLit.setState({ surroundings: name, panorama: label, panoramaName: name });
  } catch (error) {
    tellProblem(error, "The panorama cannot be used");
  }
}

async function openShape(material: string, file: File) {
  try {
    useLit.setState({ shapeFile: await readShape(file), shape: "own" });
    // Where the browser keeps no files, the shape goes with the page.
    await keepShapeFile(material, file).catch(() => {});
  } catch (error) {
    tell("The shape cannot be used.", error instanceof Error ? error.message : "");
  }
}

function Open({ label, accept, onFile }: { label: string; accept: string; onFile: (file: File) => Promise<void> }) {
  return (
    <label className="inline-flex h-6.5 cursor-pointer items-center rounded-card border border-line bg-raised px-2 text-[12px] focus-within:outline-2 hover:bg-lifted">
      Open
      <input
        type="file"
        aria-label={label}
        accept={accept}
        className="sr-only"
        onChange={(event) => {
          const file = event.target.files?.[0];
          if (file) void onFile(file);
          event.target.value = "";
        }}
      />
    </label>
  );
}
