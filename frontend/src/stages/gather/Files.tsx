/** The files of the material, what each is, and why the program took it for that. */
import { FilePlus2 } from "lucide-react";
import { useRef } from "react";
import { roleOf } from "../../api/about";
import type { FileRole, Material, MaterialFile } from "../../api/types";
import { setRole, useEditor } from "../../editor/store";
import { ACCEPT, bringMaps } from "../../library/arrivals";
import { Button } from "../../ui/Button";
import { Fold } from "../../ui/Fold";
import { Pick } from "../../ui/Pick";
import { FileName } from "../../ui/FileName";
import { useSettingInfo } from "../Setting";
import { Setting } from "../Setting";
import { Laid } from "./Laid";
import { place, usePlacing, wayOf } from "./placing";

const compared = (file: MaterialFile) => file.role.startsWith("truth_");
/** Photographs of a light set are listed in their ring, merged ones with what is taken from them. */
const elsewhere = (file: MaterialFile) => compared(file) || ["light", "merged", "walk"].includes(file.role);

export function Files({ material }: { material: Material }) {
  const picker = useRef<HTMLInputElement>(null);
  const beside = material.files.filter(compared);
  return (
    <section aria-label="Files">
      <h3 className="flex items-center justify-between font-medium">
        Files
        <Button
          look="quiet"
          className="h-6 px-1.5 text-[12px]"
          onClick={() => picker.current?.click()}
          title="Maps made elsewhere, other sides, lamps or exposures of the same surface"
        >
          <FilePlus2 size={13} /> Add files
        </Button>
      </h3>
      <input
        ref={picker}
        type="file"
        multiple
        hidden
        aria-label="Add files"
        accept={ACCEPT}
        onChange={(event) => {
          void bringMaps(material.id, [...(event.target.files ?? [])]);
          event.target.value = "";
        }}
      />
      <ul className="flex flex-col gap-1.5 py-1">
        {material.files
          .filter((file) => !elsewhere(file))
          .map((file) => (
            <FileRow key={file.key} file={file} photograph={file.key === material.source.key} />
          ))}
      </ul>
      {beside.length > 0 && (
        <Fold title="To compare with" note={`${beside.length} files`}>
          <p className="pb-1.5 text-[12px] text-soft">
            Choose them in a view. They are never used for the maps and never packed.
          </p>
          <ul className="flex flex-col gap-1.5">
            {beside.map((file) => (
              <FileRow key={file.key} file={file} photograph={false} />
            ))}
          </ul>
        </Fold>
      )}
    </section>
  );
}

function FileRow({ file, photograph }: { file: MaterialFile; photograph: boolean }) {
  const about = useEditor((state) => state.about);
  const several = useEditor((state) => (state.material?.files.length ?? 1) > 1);
  const placed = useEditor((state) => wayOf(state.material?.recipe.operations ?? {}, file.key) !== "free");
  const maps = about?.roles.filter(({ brought }) => brought) ?? [];
  const options: { value: FileRole | "none"; label: string }[] = [
    ...maps.map(({ id, label }) => ({
      value: id as FileRole,
      label: id === "base_color" && file.guess === "photo" ? "Photograph" : label,
    })),
    { value: "gloss", label: "Gloss" },
    { value: "light", label: "One light" },
    { value: "all_lights", label: "All lights" },
    { value: "merged", label: "Merged" },
    { value: "part", label: "Part of the picture" },
    { value: "walk", label: "From another place" },
    { value: "none", label: "Not used" },
  ];
  const size = `${file.width} × ${file.height} · ${file.bits} bit${file.floating ? " float" : ""} ${file.format.toUpperCase()}`;
  return (
    <li className="rounded-card bg-raised px-2 py-1.5">
      <div className="flex items-center justify-between gap-2">
        <FileName name={file.file} />
        {several && (
          <Pick
            label={`Role of ${file.file}`}
            value={file.role || "none"}
            groups={[{ options }]}
            onChange={(role) => void setRole(file.key, role === "none" ? "" : role)}
            className="h-6 px-1.5 text-[12px]"
          />
        )}
      </div>
      <p className="figures text-soft">{size}</p>
      {several && file.why && <p className="text-[12px] text-soft">Taken so because {file.why}.</p>}
      {file.notes.length > 0 && <p className="text-[12px] text-soft">Read with care: {file.notes.join("; ")}.</p>}
      {!photograph && (placed || mayLieElsewhere(file)) && <Placement file={file} />}
      {photograph && file.role !== "" && file.role !== "base_color" && <Setting path="gather.maps.colour" />}
      {file.role === "normal" && <Setting path="gather.maps.normal_y" />}
      {file.role === "height" && <Setting path="gather.maps.height_white" />}
    </li>
  );
}

/** Whether it may lie elsewhere than the photograph: a map that is not one of a photograph lies right. */
function mayLieElsewhere({ role, guess }: MaterialFile): boolean {
  const shot = roleOf(role)?.shot ?? "";
  return role === "" || shot === "often" || (shot === "sometimes" && guess === "photo");
}

function Placement({ file }: { file: MaterialFile }) {
  const way = useEditor((state) => wayOf(state.material?.recipe.operations ?? {}, file.key));
  const busy = usePlacing((state) => state.busy === file.key);
  const said = {
    lay: "Laid on the photograph.",
    join: "Joined to the photograph.",
    free: "Lies as it was photographed.",
  }[way];
  return (
    <div className="mt-1">
      <p className="text-[12px] text-soft">{busy ? "Comparing both photographs …" : said}</p>
      {!busy && (way !== "free" || file.role !== "") && <Laid file={file} />}
      <div className="flex flex-wrap gap-1 pt-1">
        {way === "free" ? (
          <>
            <Button disabled={busy} className="h-6 px-1.5 text-[12px]" onClick={() => void place(file.key, "lay")}>
              Lay on the photograph
            </Button>
            {file.role === "" && (
              <Button disabled={busy} className="h-6 px-1.5 text-[12px]" onClick={() => void place(file.key, "join")}>
                Join to the photograph
              </Button>
            )}
            <Button
              look="quiet"
              disabled={busy}
              className="h-6 px-1.5 text-[12px]"
              onClick={() => usePlacing.setState({ marking: file })}
            >
              By hand
            </Button>
          </>
        ) : (
          <Button look="quiet" className="h-6 px-1.5 text-[12px]" onClick={() => void place(file.key, "free")}>
            Leave it as photographed
          </Button>
        )}
      </div>
    </div>
  );
}

/** The file that brings a map, or null where the map is made here. */
export function useBrought(role: FileRole): MaterialFile | null {
  return useEditor(
    (state) =>
      state.material?.files.find((f) => f.role === role || (role === "roughness" && f.role === "gloss")) ?? null,
  );
}

/** Says that a map comes from a file, and lets the program make it instead. */
/** What takes the place of a file that is laid aside. */
const MADE_OF: Partial<Record<FileRole, string>> = {
  height: "It is then made from the colour, or from the normal that was brought, by integrating its slopes.",
  normal: "It is then made from the slopes of the height.",
  ambient_occlusion: "It is then made from the height.",
  curvature: "It is then made from the normal.",
  roughness: "It is then made from tone and detail.",
  metallic: "It is then what zones say.",
};

export function Brought({ role, file }: { role: FileRole; file: MaterialFile }) {
  const label = useSettingInfo(`gather.maps.${role}` as "gather.maps.height")?.label ?? role;
  return (
    <div className="my-1.5 rounded-card bg-raised px-2 py-1.5">
      <p>
        {label} comes from <span className="font-medium break-all">{file.file}</span>.
      </p>
      <Button look="quiet" className="mt-1 h-6 px-1.5 text-[12px]" onClick={() => void setRole(file.key, "")}>
        Make it here instead
      </Button>
      {MADE_OF[role] && <p className="px-1.5 text-[12px] text-soft">{MADE_OF[role]}</p>}
    </div>
  );
}
