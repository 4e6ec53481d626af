/** A colour target in a photograph: found or marked, what it says of the camera, and profiles that are kept of it. */
import { useQuery, useQueryClient } from "@tanstack/react-query";
import { Printer, ScanSearch, Trash2 } from "lucide-react";
import { useState } from "react";
import { api } from "../../api/client";
import type { ChartFound, Material, SettingValues } from "../../api/types";
import { change, useEditor, valueOf } from "../../editor/store";
import { Button } from "../../ui/Button";
import { Dialog } from "../../ui/Dialog";
import { Fold } from "../../ui/Fold";
import { tell, tellProblem } from "../../ui/notices";
import { Pick } from "../../ui/Pick";
import { Setting } from "../Setting";

const CORNERS = ["dark skin", "bluish green", "black", "white"];
type At = [number, number];

export function ColourTarget({ material }: { material: Material }) {
  const [file, setFile] = useState("");
  const [found, setFound] = useState<ChartFound | null>(null);
  const [marks, setMarks] = useState<At[] | null>(null);
  const [looking, setLooking] = useState(false);
  const [name, setName] = useState("");
  const queries = useQueryClient();
  const profiles = useQuery({ queryKey: ["cameras"], queryFn: api.cameras });
  const matrix = useEditor((state) => valueOf(state, "gather.camera.matrix"));
  const on = matrix.length === 9;
  const shownFile = material.files.some(({ key }) => key === file) ? file : "";

  const look = async (corners: At[] = []) => {
    setLooking(true);
    try {
      setFound(await api.chart(material.id, shownFile, corners));
      setMarks(null);
    } catch (error) {
      tellProblem(error);
    } finally {
      setLooking(false);
    }
  };
  const use = (changes: Partial<SettingValues>, label: string) => change(changes, label);
  const keep = async () => {
    if (!found || !name.trim()) return;
    try {
      const matrix = found.changes["gather.camera.matrix"] as number[];
      await api.keepCamera(name.trim(), matrix, found.before, found.after);
      tell(`Kept as “${name.trim()}”`, "It can be used for other captures of this camera in this light.");
      setName("");
      await queries.invalidateQueries({ queryKey: ["cameras"] });
    } catch (error) {
      tellProblem(error);
    }
  };
  const picture = found
    ? `/api/materials/${material.id}/chart.jpg?file=${shownFile}&corners=${found.corners.flat().join(",")}`
    : "";
  return (
    <Fold title="Colour target" note={on ? "camera's colours corrected" : ""}>
      <p className="pb-1 text-[12px] text-soft">
        A target of 24 patches photographed in this light says how the camera sees colours.
      </p>
      {material.files.length > 1 && (
        <div className="flex items-center justify-between gap-2 py-1">
          <span>Photograph of it</span>
          <Pick
            label="Photograph of the target"
            value={shownFile || "photograph"}
            groups={[
              {
                options: [
                  { value: "photograph", label: "The photograph" },
                  ...material.files.map(({ key, file }) => ({ value: key, label: file })),
                ],
              },
            ]}
            onChange={(value) => {
              setFound(null);
              setFile(value === "photograph" ? "" : value);
            }}
            className="h-6 max-w-40 px-1.5 text-[12px]"
          />
        </div>
      )}
      <div className="flex flex-wrap gap-1 py-1">
        <Button className="h-6 px-1.5 text-[12px]" disabled={looking} onClick={() => void look()}>
          <ScanSearch size={13} /> {looking ? "Looking …" : "Find the target"}
        </Button>
        <Button look="quiet" className="h-6 px-1.5 text-[12px]" onClick={() => setMarks([])}>
          Mark it
        </Button>
        <a
          href="/api/chart.svg"
          target="_blank"
          rel="noreferrer"
          title="A page to print; what a printer makes of the colours is the printer's"
          className="inline-flex h-6 items-center gap-1 rounded-card px-1.5 text-[12px] text-soft hover:bg-lifted hover:text-text"
        >
          <Printer size={13} /> Print one
        </a>
      </div>
      {found && (
        <div className="rounded-card bg-raised p-2" data-chart={found.after}>
          <img src={picture} alt="The target, with the places that were read" className="mb-1.5 w-full rounded-[4px]" />
          <ul aria-label="Patches, as they should look and as they come out" className="grid grid-cols-6 gap-[3px]">
            {found.patches.map((patch) => (
              <li
                key={patch.name}
                title={`${patch.name}: ΔE00 ${patch.before.toFixed(1)} before, ${patch.after.toFixed(1)} after${patch.used ? "" : "; not used"}`}
                className={`h-5 overflow-hidden rounded-[3px] ${patch.used ? "" : "opacity-40"}`}
                style={{ background: `linear-gradient(90deg, ${patch.wanted} 50%, ${patch.made} 50%)` }}
              />
            ))}
          </ul>
          <p className="figures pt-1.5 text-soft">
            ΔE00 {found.before.toFixed(1)} before, {found.after.toFixed(1)} after; worst {found.worst.toFixed(1)}. Each
            patch: left as it should look, right as it comes out.
          </p>
          <div className="flex flex-wrap gap-1 pt-1.5">
            <Button
              look="main"
              className="h-6 px-1.5 text-[12px]"
              onClick={() => use(found.changes as Partial<SettingValues>, "Camera's colours from the target")}
            >
              Use it
            </Button>
            <Button
              className="h-6 px-1.5 text-[12px]"
              title="White, matrix and colours, but the brightness as it is"
              onClick={() => {
                const changes = { ...found.changes } as Partial<SettingValues>;
                delete changes["gather.white.exposure"];
                use(changes, "Camera's colours from the target");
              }}
            >
              Without its exposure
            </Button>
          </div>
          <div className="flex gap-1 pt-1.5">
            <input
              aria-label="Name of the camera profile"
              placeholder="Camera and light"
              value={name}
              onChange={(event) => setName(event.target.value)}
              className="h-6 min-w-0 flex-1 rounded-[5px] border border-line bg-ground px-1.5 text-[12px] outline-none focus:border-amber"
            />
            <Button className="h-6 px-1.5 text-[12px]" disabled={!name.trim()} onClick={() => void keep()}>
              Keep
            </Button>
          </div>
        </div>
      )}
      {(profiles.data?.length ?? 0) > 0 && (
        <ul aria-label="Camera profiles" className="flex flex-col gap-0.5 py-1">
          {profiles.data?.map((profile) => (
            <li key={profile.id} className="flex h-7 items-center gap-1.5">
              <span translate="no" className="min-w-0 flex-1 truncate" title={profile.name}>
                {profile.name}
              </span>
              <span className="figures text-soft">ΔE00 {profile.after.toFixed(1)}</span>
              <Button
                className="h-6 px-1.5 text-[12px]"
                onClick={() =>
                  use({ "gather.camera.matrix": [...profile.matrix] }, `Camera's colours: ${profile.name}`)
                }
              >
                Use
              </Button>
              <button
                type="button"
                aria-label={`Forget ${profile.name}`}
                className="rounded-[5px] p-1 text-soft hover:bg-lifted hover:text-text"
                onClick={() =>
                  void api
                    .dropCamera(profile.id)
                    .then(() => queries.invalidateQueries({ queryKey: ["cameras"] }))
                    .catch(tellProblem)
                }
              >
                <Trash2 size={12} />
              </button>
            </li>
          ))}
        </ul>
      )}
      {on && (
        <>
          <Setting path="gather.camera.amount" />
          <Button
            look="quiet"
            className="h-6 px-1.5 text-[12px]"
            onClick={() => use({ "gather.camera.matrix": [] }, "Camera's colours as they are")}
          >
            Leave the camera's colours
          </Button>
        </>
      )}
      {marks && (
        <Dialog
          title="Mark the corner patches"
          about={`Press the middle of: ${CORNERS[Math.min(marks.length, 3)]}. In order: ${CORNERS.join(", ")}.`}
          open
          onClose={() => setMarks(null)}
          wide
        >
          <div
            className="relative mx-auto w-fit cursor-crosshair"
            onClick={(event) => {
              const box = event.currentTarget.getBoundingClientRect();
              const at: At = [(event.clientX - box.left) / box.width, (event.clientY - box.top) / box.height];
              const next = [...marks, at].slice(0, 4);
              setMarks(next);
              if (next.length === 4) void look(next);
            }}
          >
            <img
              src={`/api/materials/${material.id}/files/${shownFile || "photograph"}.jpg`}
              alt="Photograph of the target"
              className="block max-h-[62vh]"
              draggable={false}
            />
            {marks.map(([x, y], index) => (
              <span
                key={index}
                className="figures pointer-events-none absolute grid size-5 -translate-x-1/2 -translate-y-1/2 place-items-center rounded-full border border-black bg-amber text-on-amber"
                style={{ left: `${x * 100}%`, top: `${y * 100}%` }}
              >
                {index + 1}
              </span>
            ))}
          </div>
          <div className="pt-2">
            <Button disabled={!marks.length} onClick={() => setMarks(marks.slice(0, -1))}>
              Take the last back
            </Button>
          </div>
        </Dialog>
      )}
    </Fold>
  );
}
