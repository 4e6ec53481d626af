import { useShallow } from "zustand/react/shallow";
import { Pin } from "lucide-react";
import { useFigures } from "../../editor/figures";
import { type Changes, change, useEditor, valueOf } from "../../editor/store";
import type { About, Material, SettingPath } from "../../api/types";
import { Button } from "../../ui/Button";
import { Facts } from "../../ui/Facts";
import { Fold } from "../../ui/Fold";
import { Pick } from "../../ui/Pick";
import { setView } from "../../views/state";
import { Operation } from "../Operation";
import { Setting, useSettingInfo } from "../Setting";
import { Brought, useBrought } from "../gather/Files";
import { isLightSet } from "../gather/lights";
import { Paint } from "../response/Paint";
import { useZoneList } from "../response/zones";
import { Zones } from "../response/Zones";
import { BandCurve } from "./BandCurve";
import { type Fine, fineGivenBack, givenBack } from "./giveBack";
import { Light } from "./Light";

export function Relief({ material }: { material: Material }) {
  const figures = useFigures(material);
  const strength = useEditor((state) => valueOf(state, "relief.normal.strength")) as number;
  const reach = useEditor((state) => valueOf(state, "relief.occlusion.reach")) as number;
  const zones = useZoneList().length;
  const depth = figures?.evidence["height.depth_percent_of_tile"];
  const mm = figures?.evidence["height.depth_mm"];
  const unheld = figures?.evidence["height.unheld"];
  const [height, brought, open] = [useBrought("height"), useBrought("normal"), useBrought("ambient_occlusion")];
  const detail = useEditor((state) => valueOf(state, "gather.maps.normal_is")) === "detail";
  const lights = isLightSet(material);
  const walked = Boolean(material.recipe.operations["gather.walk"]?.normal) && !height;
  // How deep it reaches is known: no steepness is asked for.
  const given = useEditor((state) => valueOf(state, "gather.maps.height_mm")) as number;
  const wide = useEditor((state) => valueOf(state, "square.size.sample_mm")) as number;
  const isDeep = walked || Boolean(height && (brought || (given > 0 && wide > 0)));
  const leaning = detail ? null : (brought ?? lights);
  return (
    <>
      {height ? (
        <>
          <Brought role="height" file={height} />
          <Setting path="gather.maps.height_white" />
          <Setting path="gather.maps.height_steps" />
          <Setting path="gather.maps.height_mm" />
        </>
      ) : walked ? (
        <p className="py-1.5">Height is told by what moved between the photographs of the walk-by.</p>
      ) : leaning ? (
        <p className="py-1.5">
          {brought ? "Height follows the normal map that was brought." : "Height follows the normals of the light set."}
        </p>
      ) : (
        <>
          <Light material={material} />
          <Surface />
          <BandCurve material={material} />
          <Fold title="Source and hues" note={changedIn(material, HUES)}>
            {HUES.map((path) => (
              <Setting key={path} path={path} />
            ))}
          </Fold>
        </>
      )}
      {leaning || isDeep ? null : <Setting path="relief.height.steepness" />}
      <Facts
        rows={[
          [
            "Depth",
            depth === undefined
              ? "–"
              : `${depth.toFixed(1)} % of tile${mm === undefined ? "" : ` · ${mm.toFixed(1)} mm`}`,
          ],
        ]}
      />
      {(height ?? leaning) && <Setting path="relief.height.invert" />}
      <Fold
        title="Levels"
        note={changedIn(material, ["relief.height.low", "relief.height.high", "relief.height.middle"])}
      >
        <Operation id="relief.height" without={["steepness", "invert"]} flat />
      </Fold>
      <Fold title="Normal" note={`strength ${strength.toFixed(2)}`} open>
        {brought && <Brought role="normal" file={brought} />}
        {brought && (
          <Fold title="How it is stored" note={changedIn(material, STORED)}>
            {STORED.map((path) => (
              <Setting key={path} path={path} />
            ))}
          </Fold>
        )}
        {!leaning && !isDeep && strength !== 1 && <GiveBack strength={strength} />}
        {!leaning && <GiveFine detail={detail} />}
        <Operation
          id="relief.normal"
          without={[...(detail ? [] : ["detail"]), ...(leaning ? ["kernel", "crispness", "crisp_size"] : [])]}
        />
        {changedIn(material, HELD) && (
          <Fold title="Held by the height" note={changedIn(material, HELD)}>
            <Operation id="relief.held" without={detail ? [] : ["detail"]} flat />
            {detail && (unheld ?? 0) >= 1 && (
              <p className="text-[12px] text-soft">
                {unheld?.toFixed(0)} % of the detail’s slopes turn in circles: no height has those, and they are left
                out.
              </p>
            )}
          </Fold>
        )}
      </Fold>
      <Fold title="Occlusion" note={`reach ${reach.toFixed(1)} %`} open>
        {open && <Brought role="ambient_occlusion" file={open} />}
        {open && <Setting path="gather.maps.occlusion_white" />}
        <Operation id="relief.occlusion" without={["pinned", ...(open ? ["reach", "depth", "tight"] : [])]} />
        {!open && <PinOcclusion material={material} />}
      </Fold>
      <Fold title="Curvature" note={changedIn(material, ["relief.curvature.in_pack"]) ? "in the pack" : ""}>
        <Button
          className="my-1 h-6.5 w-full text-[12px]"
          onClick={() => setView("first", { what: "curvature", how: "single" })}
        >
          Show it
        </Button>
        <Operation id="relief.curvature" flat />
      </Fold>
      <Fold title="In parts" note={changedIn(material, ["relief.split.on"]) ? "three maps" : ""}>
        <p className="pb-1 text-[12px] text-soft">
          Broad shape, fine grain and veins as maps of their own, one to a channel in the cut-out's pack.
        </p>
        <Operation id="relief.split" flat />
      </Fold>
      <Fold title="By zone" note={zones ? `${zones} ${zones === 1 ? "zone" : "zones"}` : ""}>
        <Zones material={material} effects={["height", "ambient_occlusion"]} />
      </Fold>
      <Paint material={material} roles={["height", "ambient_occlusion"]} />
    </>
  );
}

const STORED: SettingPath[] = [
  "gather.maps.normal_is",
  "gather.maps.normal_y",
  "gather.maps.normal_stored",
  "gather.maps.normal_swapped",
  "gather.maps.normal_inverted",
  "gather.maps.normal_two",
];
const HUES: SettingPath[] = [
  "relief.cues.source",
  "relief.cues.balance",
  "relief.cues.light",
  "relief.cues.bearing",
  "relief.cues.red",
  "relief.cues.yellow",
  "relief.cues.green",
  "relief.cues.cyan",
  "relief.cues.blue",
  "relief.cues.purple",
];

function changedIn(material: Material, paths: readonly SettingPath[]): string {
  const count = paths.filter((path) => {
    const cut = path.lastIndexOf(".");
    return material.recipe.operations[path.slice(0, cut)]?.[path.slice(cut + 1)] !== undefined;
  }).length;
  return count ? `${count} changed` : "";
}

/** What a setting is where nobody sets it. */
function usualOf(about: About | null, path: SettingPath) {
  const cut = path.lastIndexOf(".");
  return about?.operations
    .find((one) => one.id === path.slice(0, cut))
    ?.settings.find((one) => one.name === path.slice(cut + 1))?.default;
}

/** Starting points by kind of surface: one step that sets what suits it, and the rest of the same settings back. */
function Surface() {
  const surfaces = useEditor((state) => state.about?.surfaces) ?? [];
  const every = [...new Set(surfaces.flatMap((one) => Object.keys(one.changes) as SettingPath[]))];
  // What is in force, whether it was set or is so anyway.
  const values = useEditor(useShallow((state) => every.map((path) => valueOf(state, path))));
  const usual = useEditor(useShallow((state) => every.map((path) => usualOf(state.about, path))));
  const now = surfaces.find((one) =>
    every.every((path, i) => values[i] === ((one.changes as Changes)[path] ?? usual[i])),
  );
  const touched = values.some((value, i) => value !== usual[i]);
  return (
    <div className="flex min-h-8 items-center justify-between gap-2">
      <span className="shrink-0">Suits</span>
      <Pick
        label="Kind of surface"
        value={now?.id ?? "own"}
        groups={[
          {
            options: [
              ...(now ? [] : [{ value: "own", label: touched ? "Your own settings" : "Choose a kind of surface" }]),
              ...surfaces.map(({ id, label }) => ({ value: id, label })),
            ],
          },
        ]}
        onChange={(id) => {
          const start = surfaces.find((one) => one.id === id);
          if (start)
            change(
              { ...Object.fromEntries(every.map((path) => [path, null])), ...start.changes } as Changes,
              start.label,
            );
        }}
        className="h-6.5 max-w-[230px] min-w-0 overflow-hidden px-2"
      />
    </div>
  );
}

/** Makes the height as steep as the normal is; the normal stays what it was. */
function GiveBack({ strength }: { strength: number }) {
  const info = useSettingInfo("relief.height.steepness");
  const steepness = useEditor((state) => valueOf(state, "relief.height.steepness")) as number;
  if (!info) return null;
  const next = givenBack({ steepness, strength }, info.min ?? 0, info.max ?? 1);
  if (next.steepness === steepness) return null;
  return (
    <Button
      className="my-1 h-6.5 w-full text-[12px]"
      title={
        next.strength === 1
          ? "The height becomes as steep as the normal shows it; the normal stays as it is"
          : "The height becomes as steep as it can; the rest stays with the normal"
      }
      onClick={() =>
        change(
          { "relief.height.steepness": next.steepness, "relief.normal.strength": next.strength },
          "Strength given to the height",
        )
      }
    >
      Give it to the height
    </Button>
  );
}

const FINE = ["relief.normal.crispness", "relief.normal.crisp_size", "relief.normal.detail"] as const;
const HELD = ["relief.held.crispness", "relief.held.crisp_size", "relief.held.detail"] as const;

/** Puts the finest relief and the detail map into the height; the normal stays what it was. */
function GiveFine({ detail }: { detail: boolean }) {
  const state = useEditor();
  const fine = ([crispness, crisp_size, gain]: readonly SettingPath[]): Fine => ({
    crispness: valueOf(state, crispness!) as number,
    crisp_size: valueOf(state, crisp_size!) as number,
    detail: detail ? (valueOf(state, gain!) as number) : 0,
  });
  const normal = fine(FINE);
  if (!normal.crispness && !normal.detail) return null;
  const next = fineGivenBack(normal, fine(HELD));
  const put = (paths: typeof FINE | typeof HELD, { crispness, crisp_size, detail: gain }: Fine) => ({
    [paths[0]]: crispness,
    [paths[1]]: crisp_size,
    ...(detail ? { [paths[2]]: gain } : {}),
  });
  return (
    <Button
      className="my-1 h-6.5 w-full text-[12px]"
      title="What only the normal shows becomes relief: displacement and occlusion have it too"
      onClick={() =>
        change({ ...put(FINE, next.normal), ...put(HELD, next.held) } as Changes, "Fine relief given to the height")
      }
    >
      Give fine relief to the height
    </Button>
  );
}

/** Keeps the occlusion as it is while the height goes on changing. */
function PinOcclusion({ material }: { material: Material }) {
  const pinned = useEditor((state) => Object.keys(valueOf(state, "relief.occlusion.pinned")).length > 0);
  const pin = () => {
    const kept = Object.entries(material.recipe.operations).filter(
      ([id]) => /^(relief|response)\./.test(id) && id !== "relief.occlusion",
    );
    change({ "relief.occlusion.pinned": Object.fromEntries(kept) }, "Occlusion pinned");
  };
  return (
    <div className="flex items-center justify-between gap-2 py-1">
      <span className="text-[12px] text-soft">
        {pinned ? "Stays as the height was when it was pinned." : "Follows every change of the height."}
      </span>
      <Button
        aria-pressed={pinned}
        look={pinned ? "main" : undefined}
        className="h-6.5 px-2 text-[12px]"
        onClick={() => (pinned ? change({ "relief.occlusion.pinned": null }, "Occlusion follows again") : pin())}
      >
        <Pin size={13} /> {pinned ? "Pinned" : "Pin"}
      </Button>
    </div>
  );
}
