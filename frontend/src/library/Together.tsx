/** What is done with several materials at once: packed, laid out on one sheet, given settings or tags, put aside. */
import {
  Archive,
  ArchiveRestore,
  ArrowRightLeft,
  Download,
  LayoutGrid,
  ListChecks,
  Package,
  Tag,
  Trash2,
  X,
} from "lucide-react";
import { useState } from "react";
import { api } from "../api/client";
import type { Job } from "../api/types";
import { go } from "../app/router";
import { packed, takeJob, useJobs } from "../pack/jobs";
import { Button } from "../ui/Button";
import { Pick } from "../ui/Pick";
import { tell, tellProblem } from "../ui/notices";
import { BatchDialog } from "./BatchDialog";
import { CarryDialog } from "./Carry";
import { useChosen } from "./chosen";
import { DeleteMany } from "./DeleteForGood";
import { LabelMany } from "./LabelMany";
import { useLibraryFilter } from "./filter";

const SIDES = [1024, 2048, 4096].map((side) => ({ value: String(side), label: `${side} px` }));

export function Together({ onChanged }: { onChanged: () => void }) {
  const { ids, job: id } = useChosen();
  const archived = useLibraryFilter((state) => state.archived);
  const [asking, setAsking] = useState<"batch" | "carry" | "labels" | "delete" | null>(null);
  const job = useJobs((state) => state.jobs.find((one) => one.id === id));
  const [side, setSide] = useState("2048");
  const [busy, setBusy] = useState(false);
  if (ids === null && !job) return null;
  const chosen = ids ?? [];
  const pack = async () => {
    try {
      const started = await api.packSeveral(chosen);
      takeJob(started);
      useChosen.setState({ job: started.id, ids: null });
    } catch (error) {
      tellProblem(error, "Packing did not start");
    }
  };
  const sheet = async () => {
    setBusy(true);
    try {
      const made = await api.sheet(chosen, `Sheet of ${chosen.length}`, Number(side), 16);
      useChosen.setState({ ids: null });
      go(made.id);
    } catch (error) {
      tellProblem(error);
    } finally {
      setBusy(false);
    }
  };
  const move = async () => {
    try {
      const { count } = await api.setManyAside(chosen, !archived);
      tell(archived ? `${count} are back in the library` : `${count} were put aside`, "Nothing is deleted.");
      useChosen.setState({ ids: null });
      onChanged();
    } catch (error) {
      tellProblem(error);
    }
  };
  const none = !chosen.length;
  return (
    <div
      aria-label="Several materials"
      className="fixed bottom-5 left-1/2 z-30 flex -translate-x-1/2 items-center gap-3 rounded-[10px] border border-line bg-lifted px-4 py-2.5 shadow-lg shadow-black/40"
    >
      {ids !== null ? (
        <>
          <span className="figures whitespace-nowrap" role="status">
            {chosen.length} chosen
          </span>
          <Button look="main" disabled={none} onClick={() => void pack()}>
            <Package size={14} /> Pack together
          </Button>
          <Button
            disabled={none}
            title="Settled by what is suggested, checked and packed, with one report"
            onClick={() => setAsking("batch")}
          >
            <ListChecks size={14} /> Batch
          </Button>
          <Button disabled={none} onClick={() => setAsking("carry")}>
            <ArrowRightLeft size={14} /> Carry settings
          </Button>
          <Button disabled={none} onClick={() => setAsking("labels")}>
            <Tag size={14} /> Tags
          </Button>
          <Button disabled={none} onClick={() => void move()}>
            {archived ? <ArchiveRestore size={14} /> : <Archive size={14} />} {archived ? "Bring back" : "Put aside"}
          </Button>
          {archived && (
            <Button disabled={none} onClick={() => setAsking("delete")}>
              <Trash2 size={14} /> Delete for good
            </Button>
          )}
          <span className="inline-flex">
            <Button
              className="rounded-r-none"
              disabled={chosen.length < 2 || busy}
              title="Cut-outs laid out with room between them, as a material of its own"
              onClick={() => void sheet()}
            >
              <LayoutGrid size={14} /> {busy ? "Laying out …" : "On one sheet"}
            </Button>
            <Pick
              label="Size of the sheet"
              value={side}
              groups={[{ options: SIDES }]}
              onChange={setSide}
              className="h-7 rounded-l-none border-l-0 px-2"
            />
          </span>
          <button
            type="button"
            aria-label="Choose no more"
            className="rounded-card p-1 text-soft hover:text-text"
            onClick={() => useChosen.setState({ ids: null })}
          >
            <X size={15} />
          </button>
        </>
      ) : (
        job && <Running job={job} />
      )}
      {asking === "batch" && <BatchDialog materials={chosen} onClose={() => setAsking(null)} />}
      {asking === "carry" && <CarryDialog targets={chosen} onClose={() => setAsking(null)} onChanged={onChanged} />}
      {asking === "labels" && <LabelMany materials={chosen} onClose={() => setAsking(null)} onChanged={onChanged} />}
      {asking === "delete" && (
        <DeleteMany
          materials={chosen}
          onClose={() => setAsking(null)}
          onDeleted={() => {
            useChosen.setState({ ids: null });
            onChanged();
          }}
        />
      )}
    </div>
  );
}

function Running({ job }: { job: Job }) {
  const open = job.state === "queued" || job.state === "running";
  const result = packed(job);
  const failed = result?.failed ?? [];
  return (
    <>
      <span className="max-w-[420px]" role="status">
        {open
          ? `${Math.round(job.progress * 100)} % · ${job.message || "waiting"}`
          : job.state === "done"
            ? `${job.title}: done`
            : job.message}
        {failed.map((one) => (
          <span key={one.name} className="block text-[12px]">
            <b>!</b> {one.name} was left out: {one.why}
          </span>
        ))}
      </span>
      {open && <Button onClick={() => void api.cancel(job.id).catch(tellProblem)}>Cancel</Button>}
      {job.state === "done" && !result?.expired && (
        <a
          href={`/api/jobs/${job.id}/file`}
          download={result?.file}
          className="inline-flex h-7 items-center gap-1.5 rounded-card bg-amber px-2.5 font-semibold text-on-amber"
        >
          <Download size={14} /> {((result?.bytes ?? 0) / 1e6).toFixed(1)} MB
        </a>
      )}
      {!open && (
        <button
          type="button"
          aria-label="Close"
          className="rounded-card p-1 text-soft hover:text-text"
          onClick={() => useChosen.setState({ job: null })}
        >
          <X size={15} />
        </button>
      )}
    </>
  );
}
