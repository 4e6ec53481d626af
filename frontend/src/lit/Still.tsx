/** A still of what the lit view shows: made by the service, seen while it comes, saved, or put on the library's card. */
import { Aperture, Download } from "lucide-react";
import { useState } from "react";
import { api } from "../api/client";
import type { Material } from "../api/types";
import { settled } from "../editor/store";
import { stilled, takeJob, useJobs } from "../pack/jobs";
import { Button } from "../ui/Button";
import { Choice } from "../ui/Choice";
import { Dialog } from "../ui/Dialog";
import { tell, tellProblem } from "../ui/notices";
import { leftOut, lookOf, timeOf } from "./look";
import { useLit } from "./state";

/** How long one looks at it, as paths of light a pixel. */
const PATHS = [
  { value: "16", label: "Quick" },
  { value: "64", label: "Good" },
  { value: "256", label: "Finest" },
] as const;
/** Times as many px as the view has. */
const SIZES = [
  { value: "1", label: "As shown" },
  { value: "2", label: "Twice" },
] as const;

export function StillButton({ material, width, height }: { material: Material; width: number; height: number }) {
  const [open, setOpen] = useState(false);
  return (
    <>
      <button
        type="button"
        className="absolute bottom-3 left-[240px] inline-flex h-7 items-center gap-1.5 rounded-card border border-line bg-ground/90 px-2.5 hover:bg-lifted"
        onClick={() => setOpen(true)}
      >
        <Aperture size={13} /> Still
      </button>
      <Dialog
        wide
        title="Still"
        about="Follows light through the relief instead of looking it up: shadows, and what stones throw on each other."
        open={open}
        onClose={() => setOpen(false)}
      >
        {open && <Making material={material} width={width} height={height} />}
      </Dialog>
    </>
  );
}

function Making({ material, width, height }: { material: Material; width: number; height: number }) {
  const setup = useLit();
  const [paths, setPaths] = useState<(typeof PATHS)[number]["value"]>("16");
  const [times, setTimes] = useState<(typeof SIZES)[number]["value"]>("1");
  const job = useJobs((state) => state.jobs.find((one) => one.kind === "still" && one.material === material.id));
  const look = lookOf(setup, width, height, Number(times));
  const running = job?.state === "queued" || job?.state === "running";
  const seen = job ? stilled(job) : null;
  const begin = async () => {
    const now = await settled();
    if (!now) return;
    try {
      takeJob(await api.still(now.id, { revision: now.revision, look, paths: Number(paths) }));
    } catch (error) {
      tellProblem(error, "The still did not start");
    }
  };
  const toCard = async () => {
    if (!job) return;
    try {
      await api.putOnCard(material.id, job.id);
      tell("On the library’s card until this material changes.");
    } catch (error) {
      tellProblem(error, "The card stays as it is");
    }
  };
  const missing = leftOut(setup, material.keys);
  const old = seen !== null && seen.revision !== material.revision;
  return (
    <div className="grid gap-3">
      <div className="flex flex-wrap items-center gap-3">
        <Choice label="Fineness" value={paths} options={[...PATHS]} onChange={setPaths} />
        <Choice label="Size" value={times} options={[...SIZES]} onChange={setTimes} />
        <span className="text-soft">
          {look.width} × {look.height} px, {timeOf(look, Number(paths))}
          {missing && `; ${missing}`}
        </span>
        <span className="ml-auto flex gap-2">
          {running ? (
            <Button onClick={() => void api.cancel(job.id).catch(tellProblem)}>Cancel</Button>
          ) : (
            <Button onClick={() => void begin()}>{seen ? "Make anew" : "Make the still"}</Button>
          )}
          <Button
            disabled={running || !seen?.blob || old}
            title={old ? "It shows the material as it was before: make it anew" : undefined}
            onClick={() => void toCard()}
          >
            Put on the library’s card
          </Button>
          {seen?.blob && !running && (
            <a
              href={`/api/jobs/${job?.id}/still.png`}
              download={seen.file}
              className="inline-flex h-7 items-center gap-1.5 rounded-card bg-amber px-2.5 font-semibold text-on-amber"
            >
              <Download size={14} /> Save
            </a>
          )}
        </span>
      </div>
      <div className="relative h-[58vh] overflow-hidden rounded-card bg-surround">
        {seen?.blob ? (
          <img
            src={`/api/jobs/${job?.id}/still.png?at=${seen.paths}`}
            alt={`Still of ${material.name}, ${seen.paths} of ${seen.of} paths a pixel`}
            className="absolute inset-0 size-full object-contain"
          />
        ) : (
          <p className="absolute inset-0 grid place-items-center text-black">
            {running ? "Making the maps" : "As the lit view is set up now: its place, its light, its shape."}
          </p>
        )}
      </div>
      {job && (
        <p role="status" className="text-soft">
          {running
            ? `${Math.round(job.progress * 100)} % · ${job.message || "waiting"}`
            : job.state === "failed"
              ? job.message
              : seen
                ? `${seen.paths} of ${seen.of} paths a pixel${old ? ", of the material as it was before" : ""}`
                : job.message}
        </p>
      )}
    </div>
  );
}
