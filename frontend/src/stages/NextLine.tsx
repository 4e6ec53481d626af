/** What the open material needs next, at the top of Settings, done by one click; what is left as it is, is not asked again. */
import { Download, X } from "lucide-react";
import { useEffect, useRef, useState } from "react";
import { useFindings, useNext } from "../editor/figures";
import { change, step as undoStep } from "../editor/store";
import type { Changes, Material, NextStep } from "../api/types";
import { packed, startPack, useJobsOf } from "../pack/jobs";
import { recall, remember } from "../ui/remember";
import { goTo } from "../app/router";
import { sizeText } from "../ui/bytes";
import { Button } from "../ui/Button";
import { openStage } from "../views/state";
import { findingAddress, wantFinding } from "./check/wanted";
import { lookForCorners } from "./square/tool";

interface Left {
  steps: string[];
}
const keyOf = (material: string) => `views-of-${material}-left`;
/** How often one thing is done by its button: what is better and still there may be done again. */
const MOST_TRIES = 5;
/** What is evident is not judged by what Check finds after it. */
const isEvident = ({ id, label }: NextStep) => id === "corners" || (id === "tile" && label.startsWith("Use"));
/** The same thing with another figure is another question. */
const nameOf = ({ id, words }: NextStep) => `${id}: ${words}`;

export function NextLine({ material }: { material: Material }) {
  const [left, setLeft] = useState<string[]>(() => recall<Left>(keyOf(material.id))?.steps ?? []);
  /** What was done and is still there as it was is not done by that. */
  const [tried, setTried] = useState<NextStep[]>([]);
  const { findings, fresh } = useFindings(material);
  /** What was done last, how many checks blocked before, and how many were open. */
  const [done, setDone] = useState<{ step: NextStep; blocked: number; open: number; revision: number } | null>(null);
  const packs = useJobsOf(material.id).filter((job) => job.kind === "pack");
  const busy = packs.some((job) => job.state === "queued" || job.state === "running");
  const newest = packs.find((job) => job.state === "done");
  const zip = newest && newest.id === packs[0]?.id ? packed(newest) : null;
  const told = useNext(material, packs.filter((job) => job.state === "done").length);
  const steps = told?.steps.filter((step) => !left.includes(nameOf(step)));
  const step = steps?.[0];
  const now = fresh && told?.revision === material.revision;
  const blocked = findings?.filter(({ level }) => level === "blocked").length ?? 0;
  const open = blocked + (findings?.filter(({ level }) => level === "attention").length ?? 0);
  const worse =
    done && (blocked > done.blocked || (blocked === done.blocked && open > done.open && !isEvident(done.step)));
  if (now && done && worse && material.revision > done.revision) {
    // What makes it worse is said, and taken back by one click.
    const words =
      blocked > done.blocked
        ? `“${done.step.label}” made it worse: ${blocked} ${blocked === 1 ? "check blocks" : "checks block"}, before ${done.blocked}.`
        : `“${done.step.label}” made it worse: ${open} ${open === 1 ? "thing is" : "things are"} open, before ${done.open}.`;
    const leaveIt = () => {
      remember(keyOf(material.id), { steps: [...left, nameOf(done.step)] });
      setLeft([...left, nameOf(done.step)]);
      setDone(null);
    };
    return (
      <Line words={words}>
        <Button
          look="main"
          className="h-6.5"
          onClick={() => {
            leaveIt();
            void undoStep("undo");
          }}
        >
          Take it back
        </Button>
        <Button look="quiet" className="h-6.5" onClick={leaveIt}>
          Keep it
        </Button>
      </Line>
    );
  }
  if (!step || !now) {
    const words = !told || !now ? "Looking at what it needs …" : endOf(told.packed, left.length);
    return (
      <Line words={words}>
        {now && told && !told.packed && (
          <Button
            look="main"
            className="h-6.5"
            aria-disabled={busy}
            onClick={() => {
              if (busy) return;
              openStage("pack");
              void startPack();
            }}
          >
            {busy ? "Packing …" : "Pack it"}
          </Button>
        )}
        {now && told?.packed && zip && (
          <a
            href={`/api/jobs/${newest!.id}/file`}
            download={zip.file}
            className="inline-flex h-6.5 items-center gap-1.5 rounded-card bg-amber px-2.5 font-semibold text-on-amber"
          >
            <Download size={13} aria-hidden /> Save it, {sizeText(zip.bytes)}
          </a>
        )}
      </Line>
    );
  }
  const before = tried.filter(({ id }) => id === step.id);
  const byHand =
    !Object.keys(step.changes).length ||
    before.length >= MOST_TRIES ||
    before.some((one) => nameOf(one) === nameOf(step));
  const act = () => {
    if (!byHand) {
      setTried([...tried, step]);
      setDone({ step, blocked, open, revision: material.revision });
      change(step.changes as Changes, step.label);
    } else if (step.rule) {
      const address = findingAddress(material.id, { rule: step.rule, map: step.map });
      goTo(address);
      wantFinding(address.slice(address.indexOf("?")));
    } else {
      openStage(step.stage);
      if (step.id === "tilt") void lookForCorners(material.id);
    }
  };
  const leave = () => {
    const all = [...left, nameOf(step)];
    remember(keyOf(material.id), { steps: all });
    setLeft(all);
  };
  return (
    <Line words={step.words} why={step.why} more={(steps?.length ?? 1) - 1}>
      <Button look="main" className="h-6.5" onClick={act}>
        {byHand && step.rule ? "See it in Check" : step.label}
      </Button>
      <button
        type="button"
        aria-label="Leave it as it is"
        title="Leave it as it is"
        onClick={(event) => {
          leave();
          event.currentTarget.closest("section")?.focus();
        }}
        className="rounded-[5px] p-1 text-soft hover:bg-lifted hover:text-text"
      >
        <X size={14} />
      </button>
    </Line>
  );
}

function endOf(packed: boolean, left: number): string {
  const rest = left ? ` ${left} ${left === 1 ? "thing is" : "things are"} left as you wanted.` : "";
  return `${packed ? "Nothing to do here: it is packed as it is." : "Nothing left to settle."}${rest}`;
}

function Line({
  words,
  why = "",
  more = 0,
  children,
}: {
  words: string;
  why?: string;
  more?: number;
  children?: React.ReactNode;
}) {
  const section = useRef<HTMLElement>(null);
  // Whoever works by keys has the next button in hand once it is there.
  const handOn = () => section.current?.querySelector<HTMLElement>("a, button")?.focus();
  useEffect(() => {
    if (document.activeElement === section.current) handOn();
  });
  return (
    <section
      ref={section}
      tabIndex={-1}
      onFocus={(event) => event.target === event.currentTarget && handOn()}
      aria-label="Next step"
      data-guided="next"
      className="mx-3.5 mt-2 rounded-card border border-line bg-raised px-2.5 py-2"
    >
      <p className="text-[12.5px] leading-[1.35]" title={why} role="status">
        <b className="font-semibold">Next: </b>
        {words}
      </p>
      {children && (
        <div className="mt-1.5 flex items-center gap-1.5 [&:not(:has(a,button))]:hidden">
          {children}
          <span className="flex-1" />
          {more > 0 && <span className="text-[12px] text-soft">{more} more after it</span>}
        </div>
      )}
    </section>
  );
}
