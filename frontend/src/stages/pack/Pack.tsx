import { Download, X } from "lucide-react";
import { useQuery } from "@tanstack/react-query";
import { api } from "../../api/client";
import type { FilePlan, Job, MapRole, Material } from "../../api/types";
import { useFindings } from "../../bench/figures";
import { startPack, useJobsOf } from "../../pack/jobs";
import { Button } from "../../ui/Button";
import { Level } from "../../ui/Level";
import { LAYER_NAMES } from "../../views/names";
import { setView } from "../../views/state";
import { Operation } from "../Operation";

export function Pack({ material }: { material: Material }) {
  const plan = useQuery({ queryKey: ["plan", material.id, material.revision], queryFn: () => api.plan(material.id), placeholderData: (old) => old });
  const { findings, fresh } = useFindings(material);
  const jobs = useJobsOf(material.id);
  const blocked = findings?.filter((f) => f.level === "blocked") ?? [];
  const working = jobs.some((job) => job.state === "queued" || job.state === "running");
  return (
    <>
      <Operation id="pack.files" />
      <h3 className="mt-2 border-t border-line pt-2 font-medium">What will be written</h3>
      {plan.data && <Files plan={plan.data} />}
      {blocked.length > 0 && fresh && (
        <p className="mt-2 flex gap-2 text-[12.5px]">
          <Level level="blocked" word={false} />
          {blocked.length === 1 ? "One check blocks" : `${blocked.length} checks block`} this set; the manifest will say so. Settle it in Check first.
        </p>
      )}
      <Button look="main" className="mt-3 h-8 w-full" disabled={working} onClick={() => void startPack()}>
        {working ? "Packing …" : "Pack as zip"}
      </Button>
      <ul className="mt-2 flex flex-col gap-2">
        {jobs.slice(0, 4).map((job) => (
          <JobRow key={job.id} job={job} />
        ))}
      </ul>
    </>
  );
}

function Files({ plan }: { plan: FilePlan }) {
  return (
    <ul className="flex flex-col gap-1.5 py-1">
      {plan.files.map((file) => (
        <li key={file.name}>
          <p className="figures truncate" title={file.name}>
            {file.name}
          </p>
          <p className="flex flex-wrap gap-x-2 text-[12px] text-soft">
            {file.roles.map((role, i) => (
              <button key={role} type="button" title="Show this map" onClick={() => setView("first", { what: role, how: "single" })} className="underline decoration-line underline-offset-2 hover:text-text">
                {file.roles.length > 1 ? `${"RGB"[i]} ${LAYER_NAMES[role]}` : LAYER_NAMES[role]}
              </button>
            ))}
            <span>
              {file.bits} bit {file.encoding === "srgb" ? "sRGB" : "linear"}
              {file.y ? ` ${file.y === "plus" ? "Y+" : "Y−"}` : ""}
            </span>
          </p>
        </li>
      ))}
      {plan.extra.map((name) => (
        <li key={name} className="figures truncate text-soft">
          {name}
        </li>
      ))}
      {plan.left_out.map((role: MapRole) => (
        <li key={role} className="text-[12px] text-soft">
          {LAYER_NAMES[role]} is blank and left out.
        </li>
      ))}
    </ul>
  );
}

const mb = (bytes: number) => `${(bytes / 1e6).toFixed(1)} MB`;

export function JobRow({ job }: { job: Job }) {
  const open = job.state === "queued" || job.state === "running";
  return (
    <li className="rounded-card bg-raised px-2.5 py-2" data-job={job.state}>
      <div className="flex items-center justify-between gap-2">
        <span className="truncate">{job.result?.file ?? job.title}</span>
        {open && (
          <button type="button" aria-label="Cancel" title="Cancel" onClick={() => void api.cancel(job.id)} className="text-soft hover:text-text">
            <X size={14} />
          </button>
        )}
      </div>
      {open && (
        <div role="progressbar" aria-label={job.title} aria-valuenow={Math.round(job.progress * 100)} className="mt-1.5 h-[3px] rounded-full bg-line">
          <div className="h-full rounded-full bg-amber" style={{ width: `${job.progress * 100}%` }} />
        </div>
      )}
      <p className="mt-1 text-[12px] text-soft">
        {job.state === "done" && job.result
          ? `${job.result.files.length} files, ${mb(job.result.bytes)}; ${job.result.files.filter((f) => f.read_back === "equal").length} pictures read back and equal`
          : `${job.message}${job.attempt > 1 && open ? ` (try ${job.attempt})` : ""}`}
      </p>
      {job.state === "done" && job.result && (
        <a href={`/api/jobs/${job.id}/file`} download={job.result.file} className="mt-1.5 inline-flex h-7 items-center gap-1.5 rounded-card border border-line bg-ground px-2.5 hover:bg-lifted">
          <Download size={13} /> Download
        </a>
      )}
    </li>
  );
}
