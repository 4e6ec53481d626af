import { Download, Table2, X } from "lucide-react";
import { useState } from "react";
import { useQuery } from "@tanstack/react-query";
import { api } from "../../api/client";
import type { FilePlan, Job, MapRole, Material, PackCost } from "../../api/types";
import { useFindings } from "../../editor/figures";
import { useEditor, valueOf } from "../../editor/store";
import { packed, startPack, useJobsOf } from "../../pack/jobs";
import { Button } from "../../ui/Button";
import { sizeText } from "../../ui/bytes";
import { aboutTime } from "../../ui/durations";
import { FileName } from "../../ui/FileName";
import { Dialog } from "../../ui/Dialog";
import { Level } from "../../ui/Level";
import { layerName } from "../../views/names";
import { dragFile } from "../../ui/dragFile";
import { Operation } from "../Operation";
import { beginOwn } from "./profile";
import { KeptProfiles } from "./KeptProfiles";
import { contentName, OpenProfile, ProfileTable } from "./ProfileTable";

export function Pack({ material }: { material: Material }) {
  const plan = useQuery({
    queryKey: ["plan", material.id, material.revision],
    queryFn: () => api.plan(material.id),
    placeholderData: (old) => old,
  });
  const about = useEditor((state) => state.about);
  const own = useEditor((state) => valueOf(state, "pack.files.profile")) === "own";
  const several = useEditor((state) => valueOf(state, "tile.tileset.count")) > 1;
  const [table, setTable] = useState(false);
  const { findings, fresh } = useFindings(material);
  const jobs = useJobsOf(material.id).filter((job) => job.kind !== "still");
  const blocked = findings?.filter((f) => f.level === "blocked") ?? [];
  const working = jobs.some((job) => job.state === "queued" || job.state === "running");
  return (
    <>
      <Operation id="pack.files" without={several ? ["own"] : ["own", "tiles"]} />
      {about && (
        <div className="flex items-center gap-1.5 py-1">
          {own ? (
            <Button className="h-6.5 px-2 text-[12px]" onClick={() => setTable(true)}>
              <Table2 size={13} /> Edit the table
            </Button>
          ) : (
            <Button
              className="h-6.5 px-2 text-[12px]"
              onClick={() => {
                beginOwn(about);
                setTable(true);
              }}
            >
              <Table2 size={13} /> Change it as a table
            </Button>
          )}
          <OpenProfile />
          <KeptProfiles />
          <ProfileTable about={about} open={table} onClose={() => setTable(false)} />
        </div>
      )}
      <h3 className="mt-2 border-t border-line pt-2 font-medium">What will be written</h3>
      {plan.data && <Files material={material} plan={plan.data} fresh={!plan.isPlaceholderData} />}
      {blocked.length > 0 && fresh && (
        <p className="mt-2 flex gap-2 text-[12.5px]">
          <Level level="blocked" word={false} />
          {blocked.length === 1 ? "One check blocks" : `${blocked.length} checks block`} this set; the manifest will say
          so. Settle it in Check first.
        </p>
      )}
      {/* Always within reach, however many files there are. */}
      <div className="sticky -bottom-3 z-10 bg-ground pt-2 pb-3">
        {plan.data?.cost && <Cost cost={plan.data.cost} />}
        <Button
          look="main"
          data-guided="pack"
          className="h-8 w-full"
          aria-disabled={working}
          onClick={() => !working && void startPack()}
        >
          {working ? "Packing …" : "Pack as zip"}
        </Button>
      </div>
      <ul className="mt-2 flex flex-col gap-2">
        {jobs.slice(0, 4).map((job) => (
          <JobRow key={job.id} job={job} />
        ))}
      </ul>
    </>
  );
}

/** What packing takes, told before it begins. */
function Cost({ cost: { bytes, spilled, seconds } }: { cost: PackCost }) {
  return (
    <p className="pb-1.5 text-[12px] text-soft">
      {`About ${sizeText(bytes)}, ${aboutTime(seconds)}.`}
      {spilled > 0 &&
        ` Not all steps to maps of this size fit into memory: ${sizeText(spilled)} of the disk are used meanwhile.`}
    </p>
  );
}

const LETTERS: Record<number, string[]> = { 1: [""], 2: ["rgb", "a"], 3: ["r", "g", "b"], 4: ["r", "g", "b", "a"] };

function Files({ material, plan, fresh }: { material: Material; plan: FilePlan; fresh: boolean }) {
  const [shown, setShown] = useState<{ file: string; channel: string; what: string; url: string } | null>(null);
  const numbered = plan.tiles > 1 && !plan.files[0]?.name.includes("_atlas_");
  return (
    <ul className="flex flex-col gap-2 py-1">
      {plan.tiles > 1 && (
        <li className="text-[12px] text-soft">
          {numbered && `${plan.tiles} tiles, each with files of its own: _1 to _${plan.tiles}. `}
          {plan.atlas && `One atlas a map: ${plan.atlas[0]} × ${plan.atlas[1]} tiles, row by row.`}
        </li>
      )}
      {plan.files.map((file, index) => (
        <li key={file.name}>
          <div className="flex items-center gap-1">
            <p className="figures min-w-0 flex-1">
              <FileName name={file.name} />
            </p>
            {plan.tiles === 1 && (
              <a
                href={`/api/materials/${material.id}/planned/${index}/whole`}
                download={file.name}
                draggable
                onDragStart={(event) => dragFile(event.dataTransfer, file.name, event.currentTarget.href)}
                aria-label={`Save ${file.name}`}
                title="Save this file alone, at its finished size; or drag it to a folder"
                className="rounded-[5px] p-1 text-soft hover:bg-lifted hover:text-text"
              >
                <Download size={13} />
              </a>
            )}
          </div>
          <div className="flex flex-wrap items-center gap-x-2 gap-y-1 text-[12px] text-soft">
            {file.contents.map((token, i) => {
              const channel = LETTERS[file.contents.length]![i]!;
              const url = `/api/materials/${material.id}/planned/${index}.jpg?channel=${channel}&key=${material.pictures.planned}&follow=1`;
              const what = contentName(token);
              return (
                <button
                  key={i}
                  type="button"
                  title={`Show ${what.toLowerCase()} as the file will hold it`}
                  onClick={() => setShown({ file: file.name, channel, what, url })}
                  className="group inline-flex items-center gap-1.5 hover:text-text"
                >
                  <span className="size-6 overflow-hidden rounded-[4px] border border-line bg-surround group-hover:border-amber">
                    {fresh && <img src={url} alt="" loading="lazy" className="size-full object-cover" />}
                  </span>
                  {channel && channel !== "rgb" ? `${channel.toUpperCase()} ${what}` : what}
                </button>
              );
            })}
            <span>
              {file.floating ? (file.bits === 16 ? "half float" : "float") : `${file.bits} bit`}{" "}
              {file.encoding === "srgb" ? "sRGB" : "linear"}
              {file.y ? ` ${file.y === "plus" ? "Y+" : "Y−"}` : ""}
            </span>
          </div>
        </li>
      ))}
      {plan.extra.map((name) => (
        <li key={name} translate="no" className="figures truncate text-soft">
          {name}
        </li>
      ))}
      {plan.without_place.map((role: MapRole) => (
        <li key={role} className="flex gap-1.5 text-[12px]">
          <Level level="attention" word={false} />
          {layerName(role)} has no place in this profile and is not written. Change it as a table to give it one.
        </li>
      ))}
      {plan.left_out.map((role: MapRole) => (
        <li key={role} className="text-[12px] text-soft">
          {layerName(role)} is blank and left out.
        </li>
      ))}
      <Dialog
        title={shown ? shown.file : ""}
        about={
          shown
            ? `${shown.channel && shown.channel !== "rgb" ? `Channel ${shown.channel.toUpperCase()}: ` : ""}${shown.what}, the very numbers of the file`
            : ""
        }
        open={shown !== null}
        onClose={() => setShown(null)}
      >
        {shown && (
          <img
            src={`${shown.url}&side=768`}
            alt={`${shown.what} in ${shown.file}`}
            className="aspect-square w-full rounded-card bg-surround object-contain"
          />
        )}
      </Dialog>
    </ul>
  );
}

export function JobRow({ job }: { job: Job }) {
  const result = packed(job);
  const open = job.state === "queued" || job.state === "running";
  return (
    <li className="rounded-card bg-raised px-2.5 py-2" data-job={job.state}>
      <div className="flex items-center justify-between gap-2">
        <span className="truncate">{result?.file ?? job.title}</span>
        {open && (
          <button
            type="button"
            aria-label="Cancel"
            title="Cancel"
            onClick={() => void api.cancel(job.id)}
            className="text-soft hover:text-text"
          >
            <X size={14} />
          </button>
        )}
      </div>
      {open && (
        <div
          role="progressbar"
          aria-label={job.title}
          aria-valuenow={Math.round(job.progress * 100)}
          className="mt-1.5 h-[3px] rounded-full bg-line"
        >
          <div className="h-full rounded-full bg-amber" style={{ width: `${job.progress * 100}%` }} />
        </div>
      )}
      <p className="mt-1 text-[12px] text-soft">
        {job.state === "done" && result?.expired
          ? "Not kept any more; packing again makes the same."
          : job.state === "done" && result
            ? `${result.files.length} files, ${sizeText(result.bytes)}; ${result.files.filter((f) => f.read_back === "equal").length} pictures read back and equal`
            : `${job.message}${job.attempt > 1 && open ? ` (try ${job.attempt})` : ""}`}
      </p>
      {job.state === "done" && result && !result.expired && (
        <a
          href={`/api/jobs/${job.id}/file`}
          download={result.file}
          draggable
          onDragStart={(event) => dragFile(event.dataTransfer, result.file, event.currentTarget.href)}
          className="mt-1.5 inline-flex h-7 items-center gap-1.5 rounded-card border border-line bg-ground px-2.5 hover:bg-lifted"
        >
          <Download size={13} /> Download
        </a>
      )}
    </li>
  );
}
