/** Pictures from words: what is wanted, four candidates, one kept. The provider that ships is a simulation and says so. */
import { Level } from "../ui/Level";
import { Dices, Sparkle } from "lucide-react";
import { useState } from "react";
import { useQuery } from "@tanstack/react-query";
import { create } from "zustand";
import { api } from "../api/client";
import type { Job } from "../api/types";
import { go, useTitle } from "../app/router";
import { generated, takeJob, useJobs } from "../pack/jobs";
import { Button } from "../ui/Button";
import { Choice } from "../ui/Choice";
import { tellProblem } from "../ui/notices";
import { Pick } from "../ui/Pick";
import { ProgressLine } from "../ui/ProgressLine";
import { Switch } from "../ui/Switch";
import { PageHeader } from "../app/PageHeader";

interface Wanted {
  words: string;
  seed: number;
  tileable: boolean;
  top_down: boolean;
  side: number;
  provider: string;
}

/** Kept while the page is left and come back to. */
const useWanted = create<Wanted & { job: string | null }>(() => ({
  words: "tarred felt, worn and dusty",
  seed: 1,
  tileable: true,
  top_down: true,
  side: 1024,
  provider: "simulation",
  job: null,
}));

const EXAMPLES = [
  "wet grey pebbles",
  "old red bricks, mossy",
  "rippled sand, dry",
  "blue canvas, worn",
  "cracked concrete, stained",
];
const SIZES = [512, 1024, 2048].map((side) => ({ value: String(side), label: `${side}` }));

async function ask(seed = useWanted.getState().seed) {
  useWanted.setState({ seed });
  const { words, tileable, top_down, side, provider } = useWanted.getState();
  try {
    const job = await api.generate({ words, seed, tileable, top_down, side, provider });
    takeJob(job);
    useWanted.setState({ job: job.id });
  } catch (error) {
    tellProblem(error);
  }
}

export function GeneratePage() {
  const { words, seed, tileable, top_down, side, provider, job: id } = useWanted();
  const makers = useQuery({ queryKey: ["providers"], queryFn: api.providers }).data ?? [];
  const maker = makers.find((one) => one.id === provider);
  const job = useJobs((state) => state.jobs.find((one) => one.id === id));
  useTitle("From words");
  const working = job?.state === "queued" || job?.state === "running";
  return (
    <div className="flex h-full flex-col">
      <PageHeader
        title="From words"
        about={
          <span className="rounded-[5px] border border-line px-2 py-0.5">
            {!maker || maker.simulation
              ? "Simulation: draws surfaces of the capture bench, no service is asked"
              : `Asked over the network: ${maker.label}`}
          </span>
        }
        edge={<ProgressLine busy={working} share={job?.progress} />}
      />
      <div className="flex min-h-0 flex-1">
        <form
          aria-label="What is wanted"
          className="flex w-[340px] shrink-0 flex-col gap-1 border-r border-line px-5 py-4"
          onSubmit={(event) => {
            event.preventDefault();
            void ask();
          }}
        >
          {makers.length > 1 && (
            <div className="mb-2 flex h-8 items-center justify-between gap-3">
              Made by
              <Pick
                label="Made by"
                value={maker?.id ?? "simulation"}
                groups={[{ options: makers.map((one) => ({ value: one.id, label: one.label })) }]}
                onChange={(next) => useWanted.setState({ provider: next })}
              />
            </div>
          )}
          <label htmlFor="words" className="font-medium">
            Surface, in words
          </label>
          <textarea
            id="words"
            value={words}
            maxLength={300}
            rows={4}
            onChange={(event) => useWanted.setState({ words: event.target.value })}
            className="resize-none rounded-card border border-line bg-raised px-2.5 py-2 outline-none focus:border-amber"
          />
          <div className="flex flex-wrap gap-1 py-1">
            {EXAMPLES.map((text) => (
              <button
                key={text}
                type="button"
                translate="no"
                onClick={() => useWanted.setState({ words: text })}
                className="rounded-full border border-line px-2 py-0.5 text-[12px] text-soft hover:bg-lifted hover:text-text"
              >
                {text}
              </button>
            ))}
          </div>
          <label className="flex h-8 items-center justify-between">
            Edges should meet{" "}
            <Switch
              label="Edges should meet"
              checked={tileable}
              onChange={(on) => useWanted.setState({ tileable: on })}
            />
          </label>
          <label className="flex h-8 items-center justify-between">
            Straight from above{" "}
            <Switch
              label="Straight from above"
              checked={top_down}
              onChange={(on) => useWanted.setState({ top_down: on })}
            />
          </label>
          <div className="flex h-8 items-center justify-between">
            Size, px{" "}
            <Choice
              label="Size"
              value={String(side)}
              options={SIZES.filter(({ value }) => Number(value) <= (maker?.largest_side ?? 2048))}
              onChange={(next) => useWanted.setState({ side: Number(next) })}
            />
          </div>
          <label className="flex h-8 items-center justify-between">
            Seed
            <input
              type="number"
              aria-label="Seed"
              min={0}
              value={seed}
              onChange={(event) =>
                useWanted.setState({ seed: Math.max(0, Math.floor(Number(event.target.value) || 0)) })
              }
              className="figures h-6.5 w-24 rounded-[5px] border border-line bg-raised px-2 text-right outline-none focus:border-amber"
            />
          </label>
          <Button type="submit" look="main" className="mt-2 h-8" disabled={working}>
            <Sparkle size={14} /> {working ? "Making four …" : "Make four"}
          </Button>
          <Button className="h-8" disabled={working} onClick={() => void ask(seed + 1)}>
            <Dices size={14} /> Four others
          </Button>
          {working && job && (
            <Button look="quiet" onClick={() => void api.cancel(job.id).catch(tellProblem)}>
              Cancel
            </Button>
          )}
          <p className="mt-2 text-[12px] text-soft">
            Wishes are sometimes not quite met: the view leans, light is baked in, edges do not meet, features are too
            large. What triage finds stands on each picture, before time is spent on it.
          </p>
        </form>
        <main className="min-h-0 flex-1 overflow-y-auto p-5">
          {job ? (
            <Made job={job} />
          ) : (
            <p className="pt-32 text-center text-soft">Say what surface you want, and four pictures of it are made.</p>
          )}
        </main>
      </div>
    </div>
  );
}

function Made({ job }: { job: Job }) {
  const [keeping, setKeeping] = useState<number | null>(null);
  const [repeated, setRepeated] = useState(false);
  const result = generated(job);
  const keep = async (number: number) => {
    setKeeping(number);
    try {
      go((await api.keep(job.id, number)).id);
    } catch (error) {
      tellProblem(error);
    } finally {
      setKeeping(null);
    }
  };
  if (job.state === "failed" || job.state === "cancelled")
    return (
      <p role="alert" className="pt-32 text-center">
        {job.message}
      </p>
    );
  return (
    <>
      <p aria-live="polite" className="pb-3 text-soft">
        {job.state === "done" ? `${job.title}.` : job.message || "Waiting for the worker …"}
        {result?.unread && result.unread.length > 0 && (
          <strong className="text-text"> Not understood or not drawn: {result.unread.join(", ")}.</strong>
        )}
      </p>
      {result?.candidates && (
        <label className="flex h-8 items-center gap-3 pb-2">
          <Switch label="Three by three" checked={repeated} onChange={setRepeated} /> Three by three
        </label>
      )}
      <ul className="grid grid-cols-2 gap-4" style={{ maxWidth: "calc(100vh - 130px)" }}>
        {Array.from({ length: 4 }, (_, number) => (
          <li
            key={number}
            className="relative aspect-square overflow-hidden rounded-[10px] border border-line bg-surround"
          >
            {result?.candidates?.[number] && (
              <>
                {repeated ? (
                  <div
                    role="img"
                    aria-label={`Candidate ${number + 1}, three by three`}
                    className="size-full"
                    style={{ background: `url(/api/generate/${job.id}/${number}.png) 0 0 / 33.34%` }}
                  />
                ) : (
                  <img
                    src={`/api/generate/${job.id}/${number}.png`}
                    alt={`Candidate ${number + 1}`}
                    className="size-full object-cover"
                  />
                )}
                <div className="absolute inset-x-0 bottom-0 bg-ground/90 px-3 py-2">
                  <Found findings={result.candidates[number].findings ?? []} />
                  <div className="flex items-center justify-between">
                    <span className="figures text-soft">
                      {number + 1} · seed {result.candidates[number].seed}
                    </span>
                    <Button look="main" disabled={keeping !== null} onClick={() => void keep(number)}>
                      {keeping === number ? "Reading …" : "Keep this one"}
                    </Button>
                  </div>
                </div>
              </>
            )}
          </li>
        ))}
      </ul>
    </>
  );
}

/** What is wrong with a candidate, each with its figure. */
function Found({ findings }: { findings: { what: string; measured: string }[] }) {
  if (findings.length === 0)
    return (
      <p className="flex items-center gap-1.5 pb-1 text-[12px] text-soft">
        <Level level="pass" word={false} /> Triage finds nothing wrong.
      </p>
    );
  return (
    <ul className="pb-1 text-[12px]" aria-label="Found">
      {findings.map((one) => (
        <li key={one.what} className="flex items-center gap-1.5">
          <Level level="attention" word={false} /> {one.what} <span className="text-soft">{one.measured}</span>
        </li>
      ))}
    </ul>
  );
}
