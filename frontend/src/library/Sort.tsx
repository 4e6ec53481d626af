/** What several files are together: said before anything is made of them, and each line can be changed. */
import { ArrowDown, ArrowUp } from "lucide-react";
import { create } from "zustand";
import { api } from "../api/client";
import type { SortedRow, Sorting } from "../api/types";
import { useEditor } from "../editor/store";
import { Button } from "../ui/Button";
import { Dialog } from "../ui/Dialog";
import { Pick } from "../ui/Pick";
import { tellProblem } from "../ui/notices";

export type SortKind =
  "apart" | "light_set" | "two_lights" | "bracket" | "focus" | "cutout" | "walk_by" | "parts" | "maps";

const KINDS: { value: SortKind; label: string; about: string }[] = [
  { value: "apart", label: "A surface each", about: "Every file becomes a material of its own." },
  { value: "light_set", label: "Light set", about: "One view under lamps all round, in the order of the lamps." },
  {
    value: "two_lights",
    label: "Two lights",
    about: "One view, lit from two sides, or with and without flash: slopes are told without colour.",
  },
  { value: "bracket", label: "Exposure bracket", about: "One view, lighter and darker: merged to one picture." },
  { value: "focus", label: "Focus stack", about: "One view, sharp at different depths: merged to one picture." },
  { value: "cutout", label: "Cut-out", about: "Front, back and back-lit photograph of one thing." },
  {
    value: "walk_by",
    label: "Walk-by",
    about: "One surface from slightly different places: its height is told by what moves.",
  },
  { value: "parts", label: "Parts of one picture", about: "Photographs that go on into each other: joined." },
  { value: "maps", label: "Maps of one surface", about: "Made elsewhere: they go through every step together." },
];
const WORDS: Record<string, string> = {
  photo: "Photograph",
  light: "Lamp",
  all_lights: "All lights",
  part: "Goes on with it",
  back: "Back side",
  back_lit: "Back-lit",
  other_light: "Other light",
  merged: "Merged",
  walk: "Photograph",
  gloss: "Gloss",
  packed: "Packed",
};
const ROLES: Record<SortKind, string[]> = {
  apart: ["photo"],
  light_set: ["light", "all_lights"],
  two_lights: ["photo", "other_light"],
  bracket: ["merged"],
  focus: ["merged"],
  cutout: ["photo", "part", "back", "back_lit"],
  walk_by: ["walk"],
  parts: ["photo", "part"],
  maps: ["photo", "gloss", "packed"],
};

interface Asked {
  sorting: Sorting;
  /** The person has said what they are: other kinds are not offered. */
  fixed: boolean;
  /** Added to a material that is there. */
  more: boolean;
  settle: (answer: { kind: SortKind; rows: SortedRow[] } | null) => void;
}

const useAsked = create<{ asked: Asked | null }>(() => ({ asked: null }));

/** Asks what files are; null when the person closes the question, and nothing is made then. */
export function askHowSorted(sorting: Sorting, fixed: boolean, more = false) {
  return new Promise<{ kind: SortKind; rows: SortedRow[] } | null>((settle) =>
    useAsked.setState({ asked: { sorting, fixed, more, settle } }),
  );
}

export function SortQuestion() {
  const asked = useAsked((state) => state.asked);
  return asked ? <Question key={asked.sorting.rows[0]?.blob} asked={asked} /> : null;
}

function Question({ asked }: { asked: Asked }) {
  const about = useEditor((state) => state.about);
  const maps = (about?.roles ?? []).filter(({ brought, id }) => brought && id !== "base_color");
  const close = (answer: { kind: SortKind; rows: SortedRow[] } | null) => {
    useAsked.setState({ asked: null });
    asked.settle(answer);
  };
  const change = (sorting: Sorting) => useAsked.setState({ asked: { ...asked, sorting } });
  const { sorting } = asked;
  const kind = sorting.kind as SortKind;
  const again = async (next: SortKind) => {
    try {
      change(
        await api.sort(
          sorting.rows.map(({ blob, file }) => ({ blob, file })),
          next,
        ),
      );
    } catch (error) {
      tellProblem(error);
    }
  };
  const setRole = (of: SortedRow, role: string) =>
    change({ ...sorting, rows: sorting.rows.map((row) => (row === of ? { ...row, role, why: "" } : row)) });
  const move = (at: number, by: number) => {
    const rows = [...sorting.rows];
    [rows[at], rows[at + by]] = [rows[at + by]!, rows[at]!];
    change({ ...sorting, rows });
  };
  const used = sorting.rows.filter((row) => row.role).length;
  const kinds = KINDS.filter(({ value }) => !(asked.more && value === "apart"));
  let lamp = 0;
  return (
    <Dialog
      title={asked.fixed ? "Is this right?" : asked.more ? "What are these files?" : "What are these files together?"}
      about="Nothing is made of them until you say so. Each line can be changed or taken out."
      open
      onClose={() => close(null)}
    >
      {!asked.fixed && (
        <div role="radiogroup" aria-label="What they are together" className="mb-1 flex flex-wrap gap-1.5">
          {kinds.map(({ value, label, about }) => (
            <button
              key={value}
              type="button"
              role="radio"
              title={about}
              aria-checked={kind === value}
              className={`rounded-card border px-2.5 py-1 ${kind === value ? "border-amber bg-lifted" : "border-line bg-raised hover:border-soft"}`}
              onClick={() => void again(value)}
            >
              {label}
            </button>
          ))}
        </div>
      )}
      <p className="text-[12px] text-soft">{KINDS.find(({ value }) => value === kind)?.about}</p>
      <p className="py-1 font-medium" data-sorted={kind}>
        {sorting.told}
      </p>
      <ol aria-label="Files" className="max-h-[46vh] overflow-y-auto rounded-card border border-line">
        {sorting.rows.map((row, at) => {
          if (row.role === "light") lamp++;
          return (
            <li
              key={`${row.blob}/${row.file}`}
              className="flex items-center gap-2.5 border-b border-line px-2 py-1.5 last:border-0"
            >
              <span className="figures w-5 text-right text-soft">{row.role === "light" ? lamp : ""}</span>
              <img
                src={`/api/incoming/${row.blob}.jpg?file=${encodeURIComponent(row.file)}`}
                alt=""
                className="size-9 shrink-0 rounded-[4px] object-cover"
              />
              <span className="min-w-0 flex-1">
                <span className={`block truncate ${row.role ? "" : "text-soft line-through"}`}>{row.file}</span>
                {row.why && <span className="block truncate text-[12px] text-soft">{row.why}</span>}
              </span>
              {(kind === "light_set" || kind === "walk_by") && (
                <>
                  <button
                    type="button"
                    aria-label={`${row.file} earlier`}
                    disabled={at === 0}
                    className="rounded-[5px] p-0.5 text-soft hover:bg-lifted hover:text-text disabled:opacity-30"
                    onClick={() => move(at, -1)}
                  >
                    <ArrowUp size={12} />
                  </button>
                  <button
                    type="button"
                    aria-label={`${row.file} later`}
                    disabled={at === sorting.rows.length - 1}
                    className="rounded-[5px] p-0.5 text-soft hover:bg-lifted hover:text-text disabled:opacity-30"
                    onClick={() => move(at, 1)}
                  >
                    <ArrowDown size={12} />
                  </button>
                </>
              )}
              <Pick
                label={`What ${row.file} is`}
                value={row.role || "none"}
                groups={[
                  {
                    options: [
                      ...(kind === "maps"
                        ? [
                            { value: "base_color", label: "Base colour" },
                            ...maps.map(({ id, label }) => ({ value: id as string, label })),
                          ]
                        : []),
                      ...ROLES[kind].map((role) => ({ value: role, label: WORDS[role] ?? role })),
                      { value: "none", label: "Not used" },
                    ],
                  },
                ]}
                onChange={(role) => setRole(row, role === "none" ? "" : role)}
                className="h-6 w-32 px-1.5 text-[12px]"
              />
            </li>
          );
        })}
      </ol>
      <div className="mt-3 flex items-center justify-end gap-2">
        <Button onClick={() => close(null)}>Leave them</Button>
        <Button look="main" disabled={!used} onClick={() => close({ kind, rows: [...sorting.rows] })}>
          {kind === "light_set"
            ? "Find the lamps"
            : kind === "walk_by"
              ? "Find the height"
              : kind === "apart"
                ? `Make ${used} materials`
                : "Use them so"}
        </Button>
      </div>
    </Dialog>
  );
}
