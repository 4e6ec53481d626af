/** Settings carried to many: chosen one by one or by stages, looked at on three of them, each changed in one step. */
import { keepPreviousData, useQueries, useQuery, useQueryClient } from "@tanstack/react-query";
import { useEffect, useMemo, useRef, useState } from "react";
import { api } from "../api/client";
import type { CarriableSetting, CarriedTo, SettingsToCarry, StageId } from "../api/types";
import { Button } from "../ui/Button";
import { Dialog } from "../ui/Dialog";
import { Pick } from "../ui/Pick";
import { tellProblem } from "../ui/notices";
import { STAGE_NAMES } from "../views/names";
import { NO_FILTER, queryOf } from "./filter";

/** Shown before and after. */
const LOOKED_AT = 3;

interface Props {
  /** Materials to change. */
  targets: readonly string[];
  onClose: () => void;
  onChanged: () => void;
}

interface From {
  name: string;
  asked: { material: string; start: number };
}

export function CarryDialog({ targets, onClose, onChanged }: Props) {
  const [from, setFrom] = useState<From | null>(null);
  return (
    <Dialog
      title={`Carry settings to ${targets.length} ${targets.length === 1 ? "material" : "materials"}`}
      about="Each is changed in one step, which undo takes back there. What belongs to one surface alone stays there."
      open
      wide
      onClose={onClose}
    >
      <div className="grid grid-cols-[360px_minmax(0,1fr)] gap-6">
        <div className="flex min-h-80 flex-col gap-3">
          <Source from={from} onFrom={setFrom} />
        </div>
        {from ? (
          <Choice
            key={from.name + from.asked.start}
            from={from}
            targets={targets}
            onClose={onClose}
            onChanged={onChanged}
          />
        ) : (
          <p className="self-center text-center text-soft">Choose where the settings come from.</p>
        )}
      </div>
    </Dialog>
  );
}

function Source({ from, onFrom }: { from: From | null; onFrom: (from: From) => void }) {
  const [words, setWords] = useState("");
  const starts = useQuery({ queryKey: ["starts"], queryFn: api.starts }).data ?? [];
  const query = queryOf({ ...NO_FILTER, words, order: "changed" });
  const found = useQuery({
    queryKey: ["library", query, "few"],
    queryFn: ({ signal }) => api.library(query, 0, 12, signal),
    placeholderData: keepPreviousData,
  }).data;
  return (
    <>
      {starts.length > 0 && (
        <Pick
          label="From a start"
          placeholder="From a start …"
          value={from?.asked.start ? String(from.asked.start) : ""}
          groups={[{ options: starts.map(({ id, name }) => ({ value: String(id), label: name })) }]}
          onChange={(id) => {
            const start = starts.find((one) => String(one.id) === id);
            if (start) onFrom({ name: start.name, asked: { material: "", start: start.id } });
          }}
        />
      )}
      <input
        aria-label="From a material"
        data-first
        placeholder="From a material: search"
        value={words}
        onChange={(event) => setWords(event.target.value)}
        className="h-7 rounded-card border border-line bg-raised px-2.5 outline-none placeholder:text-soft focus:border-amber"
      />
      <ul aria-label="Where settings come from" className="flex max-h-[52vh] flex-col gap-1 overflow-y-auto">
        {found?.cards.map((card) => (
          <li key={card.id}>
            <button
              type="button"
              aria-pressed={from?.asked.material === card.id}
              onClick={() => onFrom({ name: card.name, asked: { material: card.id, start: 0 } })}
              className={`flex w-full items-center gap-2.5 rounded-card border px-1.5 py-1 text-left hover:bg-lifted ${
                from?.asked.material === card.id ? "border-amber" : "border-transparent"
              }`}
            >
              {card.thumbnail ? (
                <img
                  src={`/api/thumbnails/${card.thumbnail}.jpg`}
                  alt=""
                  className="size-9 rounded-[4px] object-cover"
                />
              ) : (
                <span className="size-9 rounded-[4px] bg-surround" />
              )}
              <span className="truncate">{card.name}</span>
            </button>
          </li>
        ))}
      </ul>
    </>
  );
}

function Choice({
  from,
  targets,
  onClose,
  onChanged,
}: {
  from: From;
  targets: readonly string[];
  onClose: () => void;
  onChanged: () => void;
}) {
  const queries = useQueryClient();
  const rows = useQuery({
    queryKey: ["carriable", from.asked],
    queryFn: () => (from.asked.start ? api.carriableOfStart(from.asked.start) : api.carriable(from.asked.material)),
    gcTime: 0,
  }).data;
  const [paths, setPaths] = useState<string[]>([]);
  const [done, setDone] = useState<CarriedTo[] | null>(null);
  const [at, setAt] = useState<number | null>(null);
  const stopped = useRef(false);
  const stages = useMemo(() => byStage(rows ?? []), [rows]);
  // A stage of which all can go is taken whole: what is as it comes there becomes so here.
  const whole = stages.filter(
    ({ rows }) => rows.some((row) => !row.why) && rows.every((row) => row.why || paths.includes(row.path)),
  );
  const asked = {
    ...from.asked,
    paths: paths as SettingsToCarry["paths"],
    stages: whole.map(({ stage }) => stage),
  } as SettingsToCarry;
  const some = targets.filter((id) => id !== from.asked.material).slice(0, LOOKED_AT);
  const looks = useQueries({
    queries: some.map((id) => ({
      queryKey: ["carry look", id, asked],
      queryFn: () => api.lookAtCarry(id, asked),
      enabled: paths.length > 0 && done === null,
      placeholderData: keepPreviousData,
      gcTime: 0,
    })),
  });
  useEffect(() => () => void (stopped.current = true), []);

  const carry = async () => {
    stopped.current = false;
    const made: CarriedTo[] = [];
    for (const [number, id] of targets.entries()) {
      if (stopped.current) break;
      setAt(number);
      if (id === from.asked.material) continue;
      try {
        made.push(await api.carry(id, asked));
      } catch (error) {
        tellProblem(error, "One of them was left as it was");
      }
    }
    setAt(null);
    setDone(made);
    await queries.invalidateQueries({ queryKey: ["library"] });
    onChanged();
  };
  const undo = async () => {
    for (const { id, changed, revision } of done ?? [])
      if (changed.length) await api.step(id, "undo", revision).catch((error) => tellProblem(error));
    onChanged();
    onClose();
  };
  if (!rows) return null;
  if (done) {
    const changed = done.filter((one) => one.changed.length);
    const left = done.flatMap((one) => one.left_out);
    return (
      <div className="flex flex-col gap-3" role="status">
        <p>
          {changed.length} of {targets.length} materials have settings of {from.name} now
          {changed.length < done.length ? `; ${done.length - changed.length} had them already` : ""}.
        </p>
        <LeftOut left={left} />
        <div className="mt-auto flex justify-end gap-2">
          <Button disabled={!changed.length} onClick={() => void undo()}>
            Take it back in all of them
          </Button>
          <Button look="main" onClick={onClose}>
            Done
          </Button>
        </div>
      </div>
    );
  }
  return (
    <div className="flex min-w-0 flex-col gap-3">
      {stages.length === 0 && <p className="text-soft">{from.name} has all settings as they come.</p>}
      <div className="flex max-h-[34vh] flex-col gap-2 overflow-y-auto pr-1">
        {stages.map(({ stage, rows: own }) => {
          const free = own.filter((row) => !row.why).map((row) => row.path);
          const on = free.length > 0 && free.every((path) => paths.includes(path));
          return (
            <fieldset key={stage}>
              <label className="flex items-center gap-2 font-medium">
                <input
                  type="checkbox"
                  checked={on}
                  disabled={!free.length}
                  className="accent-amber"
                  onChange={() =>
                    setPaths(
                      on
                        ? paths.filter((path) => !free.some((one) => one === path))
                        : [...new Set([...paths, ...free])],
                    )
                  }
                />
                {STAGE_NAMES[stage]}
              </label>
              <ul className="ml-5">
                {own.map((row) => (
                  <li key={row.path}>
                    <label className={`flex items-baseline gap-2 ${row.why ? "text-soft" : ""}`} title={row.why}>
                      <input
                        type="checkbox"
                        checked={paths.includes(row.path)}
                        disabled={Boolean(row.why)}
                        className="accent-amber"
                        onChange={() =>
                          setPaths(
                            paths.includes(row.path) ? paths.filter((path) => path !== row.path) : [...paths, row.path],
                          )
                        }
                      />
                      <span className="min-w-0 flex-1 truncate">{row.label}</span>
                      <span className="figures shrink-0 text-soft">{row.why ? "stays" : row.value}</span>
                    </label>
                  </li>
                ))}
              </ul>
            </fieldset>
          );
        })}
      </div>
      {paths.length > 0 && (
        <div className="grid grid-cols-3 gap-3">
          {looks.map(({ data, error }, number) => (
            <figure key={some[number]} className="min-w-0">
              <div className="grid grid-cols-2 gap-px overflow-hidden rounded-card border border-line bg-surround">
                {data ? (
                  <>
                    <img src={data.before} alt="As it is" className="aspect-square w-full object-cover" />
                    <img src={data.after} alt="With these settings" className="aspect-square w-full object-cover" />
                  </>
                ) : (
                  <div className="col-span-2 aspect-[2/1]" />
                )}
              </div>
              <figcaption className="text-[12px] text-soft">
                {error
                  ? error.message
                  : data
                    ? `${data.changed.length} ${data.changed.length === 1 ? "change" : "changes"}${data.left_out.length ? `, ${data.left_out.length} left out` : ""}`
                    : "Looking"}
              </figcaption>
            </figure>
          ))}
        </div>
      )}
      <LeftOut left={looks.flatMap(({ data }) => data?.left_out ?? [])} />
      <div className="mt-auto flex items-center justify-end gap-2">
        {at !== null && (
          <span role="status" className="figures flex-1 text-soft">
            {at + 1} of {targets.length}
          </span>
        )}
        <Button onClick={() => (at === null ? onClose() : (stopped.current = true))}>
          {at === null ? "Leave it" : "Stop here"}
        </Button>
        <Button look="main" disabled={!paths.length || at !== null} onClick={() => void carry()}>
          Carry to {targets.length}
        </Button>
      </div>
    </div>
  );
}

function byStage(rows: readonly CarriableSetting[]) {
  const stages: { stage: StageId; rows: CarriableSetting[] }[] = [];
  for (const row of rows) {
    const last = stages.at(-1);
    if (last?.stage === row.stage) last.rows.push(row);
    else stages.push({ stage: row.stage, rows: [row] });
  }
  return stages;
}

/** What stays behind, each thing once, with how often. */
function LeftOut({ left }: { left: readonly { what: string; why: string }[] }) {
  const counted = new Map<string, number>();
  for (const { what, why } of left) counted.set(`${what}: ${why}`, (counted.get(`${what}: ${why}`) ?? 0) + 1);
  if (!counted.size) return null;
  return (
    <ul aria-label="Left out" className="max-h-24 overflow-y-auto text-[12px] text-soft">
      {[...counted].map(([what, count]) => (
        <li key={what}>
          <b>!</b> {what}
          {count > 1 ? ` (${count})` : ""}
        </li>
      ))}
    </ul>
  );
}
