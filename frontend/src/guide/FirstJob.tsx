/** The step of the first job that is shown: what to do, and a ring round the control that does it. */
import { X } from "lucide-react";
import { useEffect, useState } from "react";
import { usePlace } from "../app/router";
import { useJobsOf } from "../pack/jobs";
import { Button } from "../ui/Button";
import { useViews } from "../views/state";
import { goOn, JOB, useFirstJob } from "./firstJob";

interface Ring {
  left: number;
  top: number;
  width: number;
  height: number;
}

/** Where a control is on the screen, followed while it moves. */
function useRing(target: string | undefined): Ring | null {
  const [ring, setRing] = useState<Ring | null>(null);
  useEffect(() => {
    const look = () => {
      const box = target ? document.querySelector(target)?.getBoundingClientRect() : undefined;
      const { left = 0, top = 0, width = 0, height = 0 } = box ?? {};
      setRing((old) =>
        !width
          ? null
          : old?.left === left && old.top === top && old.width === width && old.height === height
            ? old
            : { left, top, width, height },
      );
    };
    look();
    const timer = setInterval(look, 250);
    return () => clearInterval(timer);
  }, [target]);
  return ring;
}

export function FirstJob() {
  const { step, shown } = useFirstJob();
  const material = usePlace((place) => place.material);
  const stage = useViews((state) => state.stage);
  const packs = useJobsOf(material ?? "").filter((job) => job.kind === "pack" && job.state === "done").length;
  const [before, setBefore] = useState(packs);
  const now = JOB[step];
  const ring = useRing(shown ? now?.target : undefined);
  const done = now?.done;
  useEffect(() => {
    if (!shown) return;
    if (done === "opened" && material) goOn(step);
    if (done && typeof done === "object" && material && done.stage === stage) goOn(step);
    if (done === "packed" && packs > before) goOn(step);
  }, [shown, done, step, material, stage, packs, before]);
  useEffect(() => setBefore(packs), [step]); // eslint-disable-line react-hooks/exhaustive-deps
  if (!shown) return null;
  const leave = () => useFirstJob.setState({ shown: false });
  return (
    <>
      {ring && (
        <div
          aria-hidden
          data-testid="ring"
          className="pointer-events-none fixed z-50 rounded-[10px] outline-2 outline-amber outline-dashed"
          style={{ left: ring.left - 4, top: ring.top - 4, width: ring.width + 8, height: ring.height + 8 }}
        />
      )}
      <section
        aria-label="First job"
        className="fixed bottom-12 left-1/2 z-50 w-[400px] max-w-[94vw] -translate-x-1/2 rounded-[10px] border border-amber bg-ground px-4 py-3 shadow-2xl shadow-black/50"
      >
        <div className="flex items-start gap-3">
          <div className="flex-1" role="status">
            <h2 className="font-semibold">
              {now ? now.title : "That was the first job"}{" "}
              {now && (
                <span className="figures font-normal text-soft">
                  {step + 1} of {JOB.length}
                </span>
              )}
            </h2>
            <p className="text-soft">
              {now ? now.words : "A checked map set lies on your disk. The guide has the rest; g brings you back here."}
            </p>
          </div>
          <button
            type="button"
            aria-label="Leave the first job"
            title="Leave it; the guide takes it up again"
            onClick={leave}
            className="text-soft hover:text-text"
          >
            <X size={14} />
          </button>
        </div>
        <div className="mt-2 flex justify-end gap-2">
          {step > 0 && now && (
            <Button look="quiet" onClick={() => useFirstJob.setState({ step: step - 1 })}>
              Back
            </Button>
          )}
          {now ? (
            <Button onClick={() => goOn(step)}>Go on</Button>
          ) : (
            <Button look="main" onClick={leave}>
              Done
            </Button>
          )}
        </div>
      </section>
    </>
  );
}
