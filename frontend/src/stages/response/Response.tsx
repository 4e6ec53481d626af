import { roles } from "../../api/about";
import type { MapRole, Material, RoleInfo, SettingPath } from "../../api/types";
import { change, useEditor, valueOf } from "../../editor/store";
import { CurvePad } from "../../ui/CurvePad";
import { readCurve, writeCurve } from "../../ui/curve";
import { Fold } from "../../ui/Fold";
import { Brought, useBrought } from "../gather/Files";
import { isLightSet } from "../gather/lights";
import { Operation } from "../Operation";
import { Setting, useSettingInfo } from "../Setting";
import { useHelp } from "../help";
import { useTones } from "../useTones";
import { Covers } from "./Covers";
import { Paint } from "./Paint";
import { KindPick, Zones } from "./Zones";
import { useValue } from "./zones";

/** What roughness is read from; nothing of it says anything where the map is brought or measured. */
const BY_TONE = ["tone", "detail"];
const BY_SURFACE = ["recesses", "grain", "pale"];
/** Only an exposure bracket holds how bright its glints are. */
const BY_GLINTS = ["glints"];
const READING = ["reads", ...BY_TONE, ...BY_SURFACE, ...BY_GLINTS];
const CURVE = "response.roughness.curve";

export function Response({ material }: { material: Material }) {
  const [rough, metal, lamp] = [useBrought("roughness"), useBrought("metallic"), useBrought("translucency")];
  // What not every surface has: colours first, as they are chosen most.
  const further = roles()
    .filter((role) => role.uniform && !role.made)
    .sort((one, other) => other.channels - one.channels);
  const lights = isLightSet(material);
  const kind = String(useValue("response.zones.kind"));
  const reads = useValue("response.roughness.reads");
  const points = useValue(CURVE);
  const [merged, frames] = [useValue("gather.merge.by"), useValue("gather.merge.frames")];
  const bracket = merged === "exposure" && Array.isArray(frames) && frames.length > 1;
  const reading = reads === "surface" ? [...BY_TONE, ...(bracket ? [] : BY_GLINTS)] : [...BY_SURFACE, ...BY_GLINTS];
  const there = further.map((role) => role.id as MapRole).filter((role) => material.keys[role]);
  return (
    <>
      <div className="flex items-center justify-between pt-1">
        <h3 className="font-medium">Roughness</h3>
        <KindPick
          label="The surface is made of"
          value={kind}
          onChange={(next) =>
            change(
              { "response.zones.kind": next?.id ?? null, ...next?.whole },
              next ? `It is ${next.label.toLowerCase()}` : "It is not told",
            )
          }
        />
      </div>
      {rough && <Brought role="roughness" file={rough} />}
      {!rough && lights && (
        <p className="pb-1 text-[12px] text-soft">
          Measured from the glints of the light set; Centre and Spread move it.
        </p>
      )}
      <Operation
        id="response.roughness"
        without={["curve", ...(rough || lights ? READING : reading)]}
        flat={rough !== null || lights}
      />
      <Fold title="Curve" note={points.length ? "bent" : ""}>
        <RoughnessCurve material={material} />
      </Fold>
      <div className="mb-1 border-t border-line pt-1">
        {metal ? <Brought role="metallic" file={metal} /> : <Operation id="response.metallic" />}
      </div>
      <div className="border-t border-line">
        <Zones material={material} effects={["roughness", "metallic", "base_color", "height"]} />
      </div>
      <Covers material={material} />
      <Paint
        material={material}
        roles={["roughness", "metallic", "base_color", "specular", ...there.filter((role) => role !== "specular")]}
      />
      <Fold title="Further maps" note={there.length ? `${there.length} in the set` : "none in the set"}>
        {further.map((role) => (
          <Further key={role.id} role={role} />
        ))}
        {lamp && <Setting path="response.translucency.lamp" />}
      </Fold>
    </>
  );
}

/** Roughness led along a curve, over how often each value comes. */
function RoughnessCurve({ material }: { material: Material }) {
  const points = useValue(CURVE);
  const counted = useTones(material, "roughness");
  return (
    <CurvePad
      points={readCurve(points)}
      onChange={(next, gesture) => change({ [CURVE]: writeCurve(next) }, "Roughness curve", gesture)}
      bars={counted?.bars}
      counted="Roughness counted"
    />
  );
}

/** A map that is brought, or filled with one value. */
function Further({ role }: { role: RoleInfo }) {
  const file = useBrought(role.id);
  if (file) return <Brought role={role.id} file={file} />;
  return role.channels === 3 ? <ColourSetting path={role.uniform!} /> : <Setting path={role.uniform!} />;
}

/** A setting that is a colour. */
function ColourSetting({ path }: { path: SettingPath }) {
  const info = useSettingInfo(path);
  const value = String(useEditor((state) => valueOf(state, path)));
  const show = useHelp((state) => state.show);
  if (!info) return null;
  const changed = value !== info.default;
  const explain = () => show(info.label, info.help);
  return (
    <div
      className="flex h-8 items-center justify-between"
      onPointerEnter={explain}
      onFocus={explain}
      data-setting={path}
    >
      <span className="flex items-center gap-1.5">
        {info.label}
        {changed && (
          <button
            type="button"
            aria-label={`Reset ${info.label}`}
            className="grid size-4 place-items-center rounded-full hover:bg-lifted"
            onClick={() => change({ [path]: null }, `${info.label} reset`)}
          >
            <span className="size-[5px] rounded-full bg-amber" />
          </button>
        )}
      </span>
      <span className="flex items-center gap-2">
        <span className="figures text-soft">{changed ? value : "none of its own"}</span>
        <input
          type="color"
          aria-label={info.label}
          value={value}
          onChange={(event) => change({ [path]: event.target.value }, info.label, `colour-${path}`)}
          className="h-6 w-10 rounded-[5px] border border-line bg-ground"
        />
      </span>
    </div>
  );
}
