/** What came of a batch, while it goes on and after: what needs a hand first, each opened where it does. */
import { Download, FileText, Play, Square } from "lucide-react";
import { keepPreviousData, useQuery, useQueryClient } from "@tanstack/react-query";
import { api, hasPassed, Problem } from "../api/client";
import type { Batch, BatchedMaterial, Level as LevelName } from "../api/types";
import { goTo, useTitle } from "../app/router";
import { findingAddress } from "../stages/check/wanted";
import { Button } from "../ui/Button";
import { sizeText } from "../ui/bytes";
import { Level } from "../ui/Level";
import { tellProblem } from "../ui/notices";
import { Pick } from "../ui/Pick";
import { ProgressLine } from "../ui/ProgressLine";
import { whenWords } from "./filter";
import { PageHeader } from "../app/PageHeader";

type State = BatchedMaterial["state"];

const GROUPS: { states: State[]; title: string }[] = [
  { states: ["failed", "blocked"], title: "Needs a hand" },
  { states: ["attention"], title: "Worth a look" },
  { states: ["cancelled"], title: "Called off" },
  { states: ["passed"], title: "Passed and packed" },
  { states: ["running", "waiting"], title: "To come" },
];
const WORST_FIRST: LevelName[] = ["blocked", "attention", "unknown"];
const SIGNS: Partial<Record<State, LevelName>> = {
  failed: "blocked",
  blocked: "blocked",
  attention: "attention",
  passed: "pass",
};

export function BatchPage({ id }: { id: number }) {
  const queries = useQueryClient();
  const key = ["batch", id];
  const { data, error } = useQuery({
    queryKey: key,
    queryFn: ({ signal }) => api.batch(id, signal),
    placeholderData: keepPreviousData,
    refetchInterval: (query) => (query.state.data?.left ? 1500 : false),
    retry: (count, problem) => count < 2 && !(problem instanceof Problem && problem.status === 404),
  });
  const others = useQuery({ queryKey: ["batches"], queryFn: api.batches }).data ?? [];
  useTitle(data ? `Batch: ${data.name}` : "Batch");
  const act = async (what: (id: number) => Promise<Batch>) => {
    try {
      queries.setQueryData(key, await what(id));
    } catch (problem) {
      if (!hasPassed(problem)) tellProblem(problem);
    }
  };
  const count = data?.rows.length ?? 0;
  const missing = data?.rows.filter((row) => !row.kept || row.changed_since).length ?? 0;
  return (
    <div className="flex h-full flex-col">
      <PageHeader title={data ? `Batch: ${data.name}` : "Batch"} about={data && whenWords(data.created)}>
        {others.length > 1 && (
          <Pick
            label="Another batch"
            value={String(id)}
            groups={[
              {
                options: others.map((one) => ({
                  value: String(one.id),
                  label: `${one.name}, ${whenWords(one.created)}`,
                })),
              },
            ]}
            onChange={(next) => goTo(`/batch/${next}`)}
          />
        )}
      </PageHeader>
      {error && (
        <p role="alert" className="p-6">
          {error.message}
        </p>
      )}
      {data && (
        <>
          <section
            aria-label="How far it is"
            className="relative flex h-12 shrink-0 items-center gap-3 border-b border-line px-6"
          >
            <ProgressLine busy={data.left > 0} share={count ? (count - data.left) / count : 0} />
            <span role="status" className="figures">
              {data.left ? `${count - data.left} of ${count} done${timeLeft(data.seconds_left)}` : summary(data.rows)}
            </span>
            <span className="flex-1" />
            {data.left > 0 ? (
              <Button onClick={() => void act(api.stopBatch)}>
                <Square size={13} /> Call off what is left
              </Button>
            ) : (
              missing > 0 && (
                <Button
                  title="What failed, was called off, is not kept any more, or was changed since"
                  onClick={() => void act(api.resumeBatch)}
                >
                  <Play size={13} /> Do what is missing ({missing})
                </Button>
              )
            )}
            <a
              href={`/api/batches/${id}/report.html`}
              target="_blank"
              rel="noreferrer"
              className="inline-flex h-7 items-center gap-1.5 rounded-card border border-line bg-raised px-2.5 hover:bg-lifted"
            >
              <FileText size={14} /> Report
            </a>
            {data.rows.some((row) => row.kept) && (
              <a
                href={`/api/batches/${id}/packs.zip`}
                download
                className="inline-flex h-7 items-center gap-1.5 rounded-card bg-amber px-2.5 font-semibold text-on-amber"
              >
                <Download size={14} /> All packs,{" "}
                {sizeText(data.rows.reduce((sum, row) => sum + (row.kept ? row.bytes : 0), 0))}
              </a>
            )}
          </section>
          <main className="min-h-0 flex-1 overflow-y-auto px-6 py-5">
            <div className="mx-auto max-w-[1160px]">
              {GROUPS.map(({ states, title }) => {
                const rows = data.rows.filter((row) => states.includes(row.state));
                return (
                  rows.length > 0 && (
                    <section key={title} aria-label={title} className="mb-6">
                      <h2 className="mb-2 font-medium">
                        {title} <span className="figures text-soft">{rows.length}</span>
                      </h2>
                      <ul className="flex flex-col gap-2">
                        {rows.map((row) => (
                          <Row key={row.material} row={row} />
                        ))}
                      </ul>
                    </section>
                  )
                );
              })}
            </div>
          </main>
        </>
      )}
    </div>
  );
}

function timeLeft(seconds: number | null): string {
  if (seconds === null) return "";
  return seconds < 90
    ? `, about ${Math.max(1, Math.round(seconds))} s left`
    : `, about ${Math.round(seconds / 60)} min left`;
}

function summary(rows: readonly BatchedMaterial[]): string {
  const counted = GROUPS.map(
    ({ states, title }) => [title.toLowerCase(), rows.filter((row) => states.includes(row.state)).length] as const,
  );
  return counted.flatMap(([title, count]) => (count ? `${count} ${title}` : [])).join(", ");
}

function Row({ row }: { row: BatchedMaterial }) {
  const open = row.state === "waiting" || row.state === "running";
  const failed = row.state === "failed";
  const needs = WORST_FIRST.flatMap((level) => row.findings.filter((finding) => finding.level === level));
  // The worst comes first: whoever opens the material sees that, at its place.
  const address = needs[0] ? findingAddress(row.material, needs[0]) : `/m/${row.material}${failed ? "/gather" : ""}`;
  return (
    <li className="flex gap-3 rounded-[10px] border border-line bg-raised p-2.5">
      <a
        href={address}
        onClick={(event) => {
          event.preventDefault();
          goTo(address);
        }}
        className="shrink-0"
        aria-label={`Open ${row.name}`}
      >
        {row.thumbnail ? (
          <img
            src={`/api/thumbnails/${row.thumbnail}.jpg`}
            alt=""
            loading="lazy"
            className="size-20 rounded-card object-cover"
          />
        ) : (
          <span className="block size-20 rounded-card bg-surround" />
        )}
      </a>
      <div className="min-w-0 flex-1">
        <p className="flex items-center gap-2">
          {SIGNS[row.state] && <Level level={SIGNS[row.state]!} word={false} />}
          <span translate="no" className="truncate font-medium">
            {row.name}
          </span>
          {row.changed_since && <span className="text-[12px] text-soft">changed since it was packed</span>}
        </p>
        {open || row.state === "failed" || row.state === "cancelled" ? (
          <p className="text-soft">
            {row.state === "running"
              ? `${Math.round(row.progress * 100)} % · ${row.message}`
              : row.message || "Waiting"}
          </p>
        ) : null}
        {row.told.map((line) => (
          <p key={line} className="text-[12px] text-soft">
            {line}
          </p>
        ))}
        {needs.length > 0 && (
          <ul className="mt-1 text-[12px]">
            {needs.slice(0, 4).map((finding) => (
              <li key={`${finding.rule}${finding.map}`}>
                <button
                  type="button"
                  title="Open it at this place"
                  onClick={() => goTo(findingAddress(row.material, finding))}
                  className="flex gap-1.5 text-left hover:underline"
                >
                  <Level level={finding.level} word={false} />
                  <span className="min-w-0">
                    {finding.title}: {finding.measured} <span className="text-soft">({finding.limit})</span>
                  </span>
                </button>
              </li>
            ))}
            {needs.length > 4 && <li className="text-soft">and {needs.length - 4} more</li>}
          </ul>
        )}
      </div>
      <div className="flex shrink-0 flex-col items-end gap-1.5">
        {(needs.length > 0 || failed) && (
          <Button onClick={() => goTo(address)}>{failed ? "Open" : "See it in Check"}</Button>
        )}
        {row.kept && (
          <a href={`/api/jobs/${row.job}/file`} download className="figures text-[12px] text-soft hover:text-text">
            Pack, {sizeText(row.bytes)}
          </a>
        )}
        {row.seconds > 0 && <span className="figures text-[12px] text-soft">{row.seconds.toFixed(1)} s</span>}
      </div>
    </li>
  );
}
