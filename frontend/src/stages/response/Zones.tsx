/** Zones of the surface: what belongs to each, and what it changes. */
import { Eye, EyeOff, Pipette, Plus, Sparkles, X } from "lucide-react";
import { useFigures } from "../../editor/figures";
import { change, useEditor } from "../../editor/store";
import type { KindInfo, Material, SettingInfo, Value } from "../../api/types";
import { Button } from "../../ui/Button";
import { cx } from "../../ui/cx";
import { Pick } from "../../ui/Pick";
import { setView } from "../../views/state";
import { Field } from "../Field";
import { useSettingInfo } from "../Setting";
import { BrushTools } from "./BrushTools";
import { draw, useDrawing } from "./drawing";
import {
  addZone,
  beginEffect,
  type Change,
  dropZone,
  type Effect,
  effectsOf,
  fallback,
  type Part,
  type PartKind,
  putEffect,
  putPart,
  putZone,
  suggestZones,
  useValue,
  useZoneList,
  useZones,
  MOST_ZONES,
  putKind,
  takeOffered,
  WET,
  type Zone,
} from "./zones";

const KINDS: Record<PartKind, string> = {
  colour: "Colour",
  height: "Height",
  recesses: "Recesses",
  edges: "Edges",
  brush: "Brush",
};
/** What can be set for each kind of part. */
const SHOWN: Record<PartKind, string[]> = {
  colour: ["tolerance", "light", "soft"],
  height: ["low", "high", "soft"],
  recesses: ["share", "size", "soft"],
  edges: ["share", "size", "soft"],
  brush: ["soft"],
};
const NEW = (Object.keys(KINDS) as PartKind[]).map((value) => ({ value: value as string, label: KINDS[value] }));

/** Shows a zone alone on the first view, or no longer. */
function show(id: string | null) {
  useZones.setState({ shown: id });
  if (id) setView("first", { what: "base_color", how: "single", channel: "all" });
}

export function Zones({ material, effects }: { material: Material; effects: readonly Effect["id"][] }) {
  const zones = useZoneList();
  const shares = useFigures(material)?.zones ?? {};
  const { open, shown } = useZones();
  const kinds = useEditor((state) => state.about?.kinds) ?? [];
  const kindOf = (zone: Zone) => kinds.find(({ id }) => id === zone.kind)?.label ?? "";
  return (
    <section aria-label="Zones" className="pb-1">
      <div className="flex h-8 items-center justify-between">
        <h3 className="font-medium">Zones</h3>
        <span className="flex gap-1">
          <Button
            className="h-6.5 px-1.5 text-[12px]"
            title="Regions of like colour"
            disabled={zones.length >= MOST_ZONES}
            onClick={() => {
              setView("first", { what: "base_color", how: "single", channel: "all" });
              void suggestZones(material.id);
            }}
          >
            <Sparkles size={13} /> Suggest
          </Button>
          <Button
            className="h-6.5 px-1.5 text-[12px]"
            disabled={zones.length >= MOST_ZONES}
            onClick={() => {
              show(null);
              addZone(`Zone ${zones.length + 1}`, { kind: "colour" });
              setView("first", { what: "base_color", how: "single" });
            }}
          >
            <Plus size={13} /> By colour
          </Button>
        </span>
      </div>
      <Offered material={material.id} />
      {zones.length === 0 && (
        <p className="text-[12px] text-soft">
          Parts of the surface that differ: metal and patina, moss and stone, dirt in the joints. Pick their colours, or
          let them be suggested.
        </p>
      )}
      <ul aria-label="Zones there are" className="flex flex-col gap-0.5">
        {zones.map((zone) => (
          <li key={zone.id} className={cx("rounded-card", open === zone.id && "bg-raised")}>
            <div className="flex h-8 items-center gap-1.5 px-1.5">
              <button
                type="button"
                aria-expanded={open === zone.id}
                className="flex min-w-0 flex-1 items-center gap-2 text-left"
                onClick={() => useZones.setState({ open: open === zone.id ? null : zone.id, picking: null })}
              >
                <Swatch zone={zone} />
                <span className="truncate">
                  {zone.name || "Unnamed"}
                  <span className="text-soft">{kindOf(zone) && ` · ${kindOf(zone)}`}</span>
                </span>
                <span className="figures ml-auto text-soft">
                  {shares[zone.id] === undefined ? "" : `${Math.round(shares[zone.id]! * 100)} %`}
                </span>
              </button>
              <button
                type="button"
                aria-label={`Show ${zone.name} alone`}
                aria-pressed={shown === zone.id}
                title="Show it alone"
                className="rounded-[5px] p-1 text-soft hover:bg-lifted hover:text-text"
                onClick={() => show(shown === zone.id ? null : zone.id)}
              >
                {shown === zone.id ? <Eye size={14} className="text-amber" /> : <EyeOff size={14} />}
              </button>
              <button
                type="button"
                aria-label={`Take ${zone.name} away`}
                className="rounded-[5px] p-1 text-soft hover:bg-lifted hover:text-text"
                onClick={() => dropZone(zone.id)}
              >
                <X size={13} />
              </button>
            </div>
            {open === zone.id && <OpenZone material={material} zone={zone} effects={effects} />}
          </li>
        ))}
      </ul>
    </section>
  );
}

/** Materials that were found: marked on the picture before they are taken. */
function Offered({ material }: { material: string }) {
  const offered = useZones((state) => state.offered);
  if (offered?.material !== material) return null;
  const { found, why, marked } = offered;
  const mark = (numbers: number[]) => useZones.setState({ offered: { ...offered, marked: numbers } });
  return (
    <div role="group" aria-label="Materials found" className="mb-1.5 rounded-card border border-line px-2.5 py-2">
      <div className="flex items-start justify-between gap-2">
        <p className="text-[12px] text-soft">{why}</p>
        <button
          type="button"
          aria-label="Put the materials found away"
          className="rounded-[5px] p-1 text-soft hover:bg-lifted hover:text-text"
          onClick={() => useZones.setState({ offered: null })}
        >
          <X size={13} />
        </button>
      </div>
      <ul className="flex flex-col" onPointerLeave={() => mark(found.map((_, i) => i))}>
        {found.map((one, number) => (
          <li
            key={one.name + number}
            className={cx("flex h-8 items-center gap-2", marked.length === 1 && marked[0] === number && "text-amber")}
            onPointerEnter={() => mark([number])}
            onFocus={() => mark([number])}
          >
            <Colour colours={one.part.picks ?? []} />
            <span className="truncate">{one.name}</span>
            <span className="figures ml-auto text-soft">{Math.round(one.share * 100)} %</span>
            <Button className="h-6.5 px-2 text-[12px]" onClick={() => takeOffered([number])}>
              Take
            </Button>
          </li>
        ))}
      </ul>
      {found.length > 1 && (
        <Button className="mt-1 h-6.5 text-[12px]" look="main" onClick={() => takeOffered(found.map((_, i) => i))}>
          Take all
        </Button>
      )}
    </div>
  );
}

function Swatch({ zone }: { zone: Zone }) {
  return <Colour colours={zone.parts.flatMap((part) => (part.how === "subtract" ? [] : (part.picks ?? [])))} />;
}

function Colour({ colours: all }: { colours: readonly string[] }) {
  const colours = all.slice(0, 3);
  return (
    <span aria-hidden className="flex size-4 shrink-0 overflow-hidden rounded-[4px] border border-line">
      {(colours.length ? colours : ["transparent"]).map((colour, i) => (
        <span key={i} className="h-full flex-1" style={{ background: colour }} />
      ))}
    </span>
  );
}

function OpenZone({ material, zone, effects }: { material: Material; zone: Zone; effects: readonly Effect["id"][] }) {
  const about = useEditor((state) => state.about);
  const rough = useFigures(material)?.rough[zone.id];
  if (!about) return null;
  const begin = (effect: Effect) => beginEffect(effect, zone, about, rough);
  const values = (infos: SettingInfo[], names: string[]) => infos.filter((info) => names.includes(info.name));
  const add = (kind: PartKind) => {
    putZone(zone.id, { parts: [...zone.parts, { kind } as Part] }, `${KINDS[kind]} added`);
    if (kind === "colour") useZones.setState({ picking: { zone: zone.id, part: zone.parts.length, list: "picks" } });
    if (kind === "brush") draw({ on: "zone", zone: zone.id, part: zone.parts.length });
  };
  return (
    <div className="px-2.5 pb-2">
      <input
        key={zone.name}
        aria-label="Name of the zone"
        defaultValue={zone.name}
        maxLength={60}
        onBlur={(event) =>
          event.target.value !== zone.name && putZone(zone.id, { name: event.target.value }, "Zone renamed")
        }
        onKeyDown={(event) => event.key === "Enter" && event.currentTarget.blur()}
        className="mb-1 h-7 w-full rounded-card border border-line bg-ground px-2"
      />
      <div className="flex min-h-8 items-center justify-between gap-2">
        <span>Made of</span>
        <KindPick label={`${zone.name} is made of`} value={zone.kind ?? ""} onChange={(kind) => putKind(zone, kind)} />
      </div>
      {zone.parts.map((part, index) => (
        <OnePart
          key={index}
          material={material}
          zone={zone}
          part={part}
          index={index}
          infos={values(about.shapes.part, [...SHOWN[part.kind], ...(index ? ["how"] : [])])}
        />
      ))}
      <div className="flex items-center justify-between py-1">
        <Pick
          label="Add a part"
          value=""
          groups={[{ options: NEW }]}
          placeholder="Add a part"
          onChange={(kind) => add(kind as PartKind)}
          className="h-6.5 px-2 text-[12px]"
        />
      </div>
      {values(about.shapes.zone, ["soften", "inverted"]).map((info) => (
        <Field
          key={info.name}
          info={info}
          value={(zone[info.name as keyof Zone] as Value | undefined) ?? info.default}
          onChange={(next, gesture) => putZone(zone.id, { [info.name]: next }, info.label, gesture)}
          onReset={() => putZone(zone.id, { [info.name]: info.default }, `${info.label} reset`)}
        />
      ))}
      <h4 className="mt-1 border-t border-line pt-1.5 text-[12px] text-soft">It changes</h4>
      {effectsOf(effects)
        .filter((effect) => effects.includes(effect.id))
        .map((effect) => (
          <OneEffect key={effect.id} zone={zone} effect={effect} infos={about.shapes[effect.shape]} begin={begin} />
        ))}
      <MoreEffects zone={zone} effects={effects} begin={begin} />
      <ZoneWet zone={zone} />
    </div>
  );
}

function OnePart({
  material,
  zone,
  part,
  index,
  infos,
}: {
  material: Material;
  zone: Zone;
  part: Part;
  index: number;
  infos: SettingInfo[];
}) {
  const task = useDrawing((state) => state.task);
  const mine = task?.on === "zone" && task.zone === zone.id && task.part === index ? task : null;
  return (
    <div
      role="group"
      aria-label={`Part ${index + 1}: ${KINDS[part.kind]}`}
      className="mb-1.5 border-l-2 border-line pl-2"
    >
      <div className="flex h-7 items-center justify-between">
        <span className="text-[12px] text-soft">{KINDS[part.kind]}</span>
        {zone.parts.length > 1 && (
          <button
            type="button"
            aria-label={`Take part ${index + 1} away`}
            className="rounded-[5px] p-1 text-soft hover:bg-lifted hover:text-text"
            onClick={() => putZone(zone.id, { parts: zone.parts.filter((_, i) => i !== index) }, "Part taken away")}
          >
            <X size={12} />
          </button>
        )}
      </div>
      {part.kind === "colour" && (
        <>
          <Colours zone={zone} part={part} index={index} list="picks" label="Is" />
          <Colours zone={zone} part={part} index={index} list="against" label="Is not" />
        </>
      )}
      {part.kind === "brush" && (
        <>
          <Button
            look={mine ? "main" : undefined}
            aria-pressed={mine !== null}
            className="my-1 h-6.5 text-[12px]"
            onClick={() => draw(mine ? null : { on: "zone", zone: zone.id, part: index })}
          >
            {mine ? "Brushing" : "Brush it"}
          </Button>
          {mine && <BrushTools material={material} task={mine} />}
        </>
      )}
      {infos.map((info) => (
        <Field
          key={info.name}
          info={info}
          value={(part[info.name as keyof Part] as Value | undefined) ?? info.default}
          onChange={(next, gesture) => putPart(zone.id, index, { [info.name]: next }, info.label, gesture)}
          onReset={() => putPart(zone.id, index, { [info.name]: info.default }, `${info.label} reset`)}
        />
      ))}
    </div>
  );
}

function Colours({
  zone,
  part,
  index,
  list,
  label,
}: {
  zone: Zone;
  part: Part;
  index: number;
  list: "picks" | "against";
  label: string;
}) {
  const picking = useZones((state) => state.picking);
  const on = picking?.zone === zone.id && picking.part === index && picking.list === list;
  const colours = part[list] ?? [];
  return (
    <div className="flex min-h-7 items-center gap-1.5 py-0.5">
      <span className="w-9 shrink-0">{label}</span>
      <span className="flex flex-1 flex-wrap gap-1">
        {colours.map((colour, i) => (
          <button
            key={i}
            type="button"
            title={`${colour}; click takes it away`}
            aria-label={`Take ${colour} away`}
            className="size-5 rounded-[4px] border border-line hover:border-amber"
            style={{ background: colour }}
            onClick={() => putPart(zone.id, index, { [list]: colours.filter((_, j) => j !== i) }, "Colour taken away")}
          />
        ))}
      </span>
      <button
        type="button"
        aria-label={list === "picks" ? "Pick colours that belong to it" : "Pick colours that do not"}
        aria-pressed={on}
        title={list === "picks" ? "Click colours on the picture" : "Click colours that must not belong to it"}
        className={cx(
          "rounded-[5px] border p-1",
          on ? "border-transparent bg-amber text-on-amber" : "border-line hover:bg-lifted",
        )}
        onClick={() => {
          useZones.setState({ picking: on ? null : { zone: zone.id, part: index, list } });
          if (!on) {
            draw(null);
            setView("first", { what: "base_color", how: "single" });
          }
        }}
      >
        <Pipette size={13} />
      </button>
    </div>
  );
}

/** What a zone, or all of the surface, is made of. */
export function KindPick({
  label,
  value,
  onChange,
}: {
  label: string;
  value: string;
  onChange: (kind: KindInfo | null) => void;
}) {
  const kinds = useEditor((state) => state.about?.kinds) ?? [];
  const groups = [...new Set(kinds.map((kind) => kind.group))];
  return (
    <Pick
      label={label}
      value={value || "none"}
      groups={[
        { options: [{ value: "none", label: "Not told" }] },
        ...groups.map((group) => ({
          label: group,
          options: kinds.filter((kind) => kind.group === group).map((kind) => ({ value: kind.id, label: kind.label })),
        })),
      ]}
      onChange={(id) => onChange(kinds.find((kind) => kind.id === id) ?? null)}
      className="h-6.5 px-2 text-[12px]"
    />
  );
}

/** How wet a zone is, where that is another than all of it. */
function ZoneWet({ zone }: { zone: Zone }) {
  const wet = useValue(WET);
  const info = useSettingInfo("response.covers.wet");
  if (!info) return null;
  const put = (value: number | null, gesture = "") => {
    const { [zone.id]: before, ...rest } = wet;
    if (value !== null || before !== undefined)
      change({ [WET]: value === null ? rest : { ...rest, [zone.id]: value } }, `${zone.name}, wet`, gesture);
  };
  return (
    <Field
      info={info}
      spoken={`${zone.name}, wet`}
      value={wet[zone.id] ?? 0}
      onChange={(next, gesture) => put(Number(next), gesture)}
      onReset={() => put(null)}
    />
  );
}

function useEffectOf(zone: Zone, effect: Effect): Change | undefined {
  return (useValue(effect.path) as Record<string, Change>)[zone.id];
}

function OneEffect({
  zone,
  effect,
  infos,
  begin,
  always = true,
}: {
  zone: Zone;
  effect: Effect;
  infos: SettingInfo[];
  begin: (effect: Effect) => void;
  always?: boolean;
}) {
  const value = useEffectOf(zone, effect);
  if (!value && !always) return null;
  const put = (changed: Change, label: string, gesture = "") =>
    putEffect(effect, zone.id, { ...value, ...changed }, label, gesture);
  if (!value) {
    return (
      <button
        type="button"
        className="flex h-7 w-full items-center gap-1.5 text-left hover:text-amber"
        onClick={() => begin(effect)}
      >
        <Plus size={12} className="text-soft" /> {effect.label}
      </button>
    );
  }
  return (
    <div role="group" aria-label={`${effect.label} of ${zone.name}`} className="mb-1 border-l-2 border-amber pl-2">
      <div className="flex h-7 items-center justify-between">
        <span>{effect.label}</span>
        <span className="flex items-center gap-1">
          {effect.shape === "colour" && (
            <input
              type="color"
              aria-label={`${effect.label}, colour`}
              value={String(value.colour ?? "#808080")}
              onChange={(event) => put({ colour: event.target.value }, effect.label, `colour-${effect.id}-${zone.id}`)}
              className="h-5 w-9 rounded-[4px] border border-line bg-ground"
            />
          )}
          <button
            type="button"
            aria-label={`Leave the ${effect.label.toLowerCase()} as it was`}
            className="rounded-[5px] p-1 text-soft hover:bg-lifted hover:text-text"
            onClick={() => putEffect(effect, zone.id, null, `${effect.label} of ${zone.name} taken back`)}
          >
            <X size={12} />
          </button>
        </span>
      </div>
      {infos.map((info) => (
        <Field
          key={info.name}
          info={info}
          spoken={`${effect.label}, ${info.label.toLowerCase()}`}
          value={value[info.name as keyof Change] ?? fallback(infos, info.name)}
          onChange={(next, gesture) =>
            put({ [info.name]: next }, `${effect.label}, ${info.label.toLowerCase()}`, gesture)
          }
          onReset={() => put({ [info.name]: fallback(infos, info.name) }, `${info.label} reset`)}
        />
      ))}
    </div>
  );
}

/** What is changed on maps that are not listed by themselves, and a way to change another. */
function MoreEffects({
  zone,
  effects,
  begin,
}: {
  zone: Zone;
  effects: readonly Effect["id"][];
  begin: (effect: Effect) => void;
}) {
  const about = useEditor((state) => state.about);
  const others = effectsOf().filter((effect) => !effects.includes(effect.id));
  if (!about) return null;
  return (
    <>
      {others.map((effect) => (
        <OneEffect
          key={effect.id}
          zone={zone}
          effect={effect}
          infos={about.shapes[effect.shape]}
          begin={begin}
          always={false}
        />
      ))}
      <Pick
        label="Change another map"
        value=""
        placeholder="Another map"
        groups={[{ options: others.map(({ id, label }) => ({ value: id as string, label })) }]}
        onChange={(id) => {
          const effect = others.find((one) => one.id === id);
          if (effect) begin(effect);
        }}
        className="mt-1 h-6.5 px-2 text-[12px]"
      />
    </>
  );
}
