/** The eight stages as small live pictures, with the twig that shows how far the work has come. */
import { useEffect, useState } from "react";
import { calledOff, request } from "../api/client";
import type { Material, StageId } from "../api/types";
import { busy, whenRested } from "./busy";
import { useFindings, useNext } from "./figures";
import { STAGE_NAMES } from "../views/names";
import { openStage, useViews } from "../views/state";
import { cx } from "../ui/cx";
import { useNarrow } from "../ui/useNarrow";
import { FoldButton } from "./FoldButton";
import { useJobsOf } from "../pack/jobs";

const STAGES = Object.keys(STAGE_NAMES) as StageId[];

/** One picture with all eight cards; fetched once changes rest for a moment. */
function useStrip(material: Material): string | null {
  const [shown, setShown] = useState<string | null>(null);
  const key = material.pictures.strip;
  useEffect(() => {
    const control = new AbortController();
    const ask = async (): Promise<void> => {
      const url = `/api/materials/${material.id}/strip.jpg?key=${key}&slot=strip`;
      const done = busy("cards");
      try {
        const blob = await (await request(url, { signal: control.signal })).blob();
        setShown((old) => {
          if (old) setTimeout(() => URL.revokeObjectURL(old), 1000);
          return URL.createObjectURL(blob);
        });
      } catch (error) {
        // The old cards stay. An edit that changes none of them leaves nobody else to ask again.
        if (calledOff(error)) setTimeout(() => void (control.signal.aborted || ask()), 200);
      } finally {
        done();
      }
    };
    const callOff = whenRested(() => void ask(), 30);
    return () => {
      callOff();
      control.abort();
    };
  }, [key, material.id]);
  return shown;
}

export function StageColumn({ material }: { material: Material }) {
  const stage = useViews((state) => state.stage);
  const strip = useStrip(material);
  const narrow = useNarrow();
  const { findings } = useFindings(material);
  const packs = useJobsOf(material.id).filter((job) => job.kind === "pack");
  // A batch packs too.
  const packed = useNext(material, packs.filter((job) => job.state === "done").length)?.packed;
  const toSettle = findings?.filter((f) => f.level === "blocked" || f.level === "attention").length;
  const open = STAGES.indexOf(stage);
  const stateOf = (id: StageId): string => {
    const changes = material.changes[id];
    if (id === "check") return toSettle === undefined ? "looking" : toSettle ? `${toSettle} to settle` : "all clear";
    if (id === "pack") {
      const newest = packs[0];
      if (!newest || newest.state === "cancelled") return packed ? "packed" : "not yet";
      return { done: "packed", queued: "waiting", running: "packing", failed: "failed" }[newest.state];
    }
    if (changes) return changes === 1 ? "1 edit" : `${changes} edits`;
    return { gather: "as shot", square: "whole", even: "as set", tile: "as set", relief: "as set", response: "as set" }[
      id
    ];
  };
  const small = useViews((state) => state.folded.stages) || narrow;
  return (
    <nav
      aria-label="Stages"
      className={cx(
        "relative flex h-full shrink-0 flex-col gap-1.5 border-r border-line bg-ground py-1.5",
        small ? "w-12 px-1" : "w-[136px] pr-2 pl-5",
      )}
    >
      {!small && <Twig open={open} />}
      {STAGES.map((id, number) => (
        <button
          key={id}
          type="button"
          data-stage={id}
          aria-current={id === stage ? "step" : undefined}
          onClick={() => openStage(id)}
          title={small ? `${STAGE_NAMES[id]}: ${stateOf(id)} (${number + 1})` : `${STAGE_NAMES[id]} (${number + 1})`}
          aria-label={small ? `${STAGE_NAMES[id]} ${stateOf(id)}` : undefined}
          className={cx(
            "relative flex min-h-0 flex-1 flex-col overflow-hidden rounded-card border-2 bg-raised text-left",
            id === stage ? "border-amber" : "border-transparent hover:border-line",
          )}
        >
          <span className="min-h-0 w-full flex-1 bg-lifted">
            {strip && (
              <span
                aria-hidden
                className="block size-full"
                style={{
                  backgroundImage: `url(${strip})`,
                  backgroundSize: "100% 800%",
                  backgroundPosition: `0 ${(number / 7) * 100}%`,
                }}
              />
            )}
          </span>
          {!small && (
            <span className="flex w-full shrink-0 items-baseline justify-between gap-1 px-1.5 py-0.5">
              <span className={cx("text-[12px]", id === stage && "font-semibold")}>{STAGE_NAMES[id]}</span>
              <span className="truncate text-[10.5px] text-soft">{stateOf(id)}</span>
            </span>
          )}
        </button>
      ))}
      {!narrow && <FoldButton what="stages" folded={small} side="left" />}
    </nav>
  );
}

/** A fine line down the cards: knots passed, a drop at the open stage, dashed beyond. */
function Twig({ open }: { open: number }) {
  const at = (number: number) => ((number + 0.5) / 8) * 800;
  const wave = (from: number, to: number) => {
    let d = `M10 ${from}`;
    const bends = Math.max(1, Math.round((to - from) / 50));
    for (let i = 0; i < bends; i++) {
      const y0 = from + ((to - from) * i) / bends;
      const y1 = from + ((to - from) * (i + 1)) / bends;
      const sway = i % 2 ? -3 : 3;
      d += ` C${10 + sway} ${y0 + (y1 - y0) * 0.3} ${10 + sway} ${y0 + (y1 - y0) * 0.7} 10 ${y1}`;
    }
    return d;
  };
  return (
    <svg aria-hidden viewBox="0 0 20 800" preserveAspectRatio="none" className="absolute top-0 left-0 h-full w-5">
      <path
        d={wave(8, at(open))}
        fill="none"
        stroke="var(--soft)"
        strokeWidth="1.200"
        vectorEffect="non-scaling-stroke"
      />
      <path
        d={wave(at(open), 792)}
        fill="none"
        stroke="var(--line)"
        strokeWidth="1.200"
        strokeDasharray="2 4"
        vectorEffect="non-scaling-stroke"
      />
      {STAGES.map(
        (_, number) => number < open && <circle key={number} cx="10" cy={at(number)} r="2.600" fill="var(--soft)" />,
      )}
      <path
        transform={`translate(10 ${at(open)}) scale(0.5)`}
        d="M0-15C5-9 9-4 9 2a9 9 0 0 1-18 0C-9-4-5-9 0-15z"
        fill="var(--amber)"
      />
    </svg>
  );
}
