/** Files on their way in: several at once, each with its progress, each telling its own trouble. */
import { X } from "lucide-react";
import { useQueryClient } from "@tanstack/react-query";
import { useCallback } from "react";
import { create } from "zustand";
import { api, Problem, upload } from "../api/client";
import type { Brief } from "../api/types";
import { go } from "../app/router";
import { useLights } from "../stages/gather/lights";
import { wayOf } from "../stages/gather/placing";
import { tell, tellProblem } from "../ui/notices";
import type { Kind } from "./Kinds";

export const ACCEPT =
  ".jpg,.jpeg,.png,.tif,.tiff,.webp,.exr,.heic,.heif,.avif,.jxl,.jp2,.j2k,.tga,.bmp,.dds,.psd,.psb,.hdr,.ppm,.pgm,.pbm,.pnm,.gif," +
  ".dng,.nef,.cr2,.cr3,.arw,.orf,.rw2,.raf,.pef,.srw,.3fr,.iiq,.x3f,.erf,.mrw,.nrw,.kdc,.dcr,.mef,.mos,.rwl,.srf,.sr2,image/*";

export interface Arrival {
  id: number;
  name: string;
  share: number;
  problem: Problem | null;
}

const useStore = create<{ list: Arrival[] }>(() => ({ list: [] }));
let next = 1;

const update = (id: number, changes: Partial<Arrival>) =>
  useStore.setState(({ list }) => ({ list: list.map((a) => (a.id === id ? { ...a, ...changes } : a)) }));
const drop = (id: number) => useStore.setState(({ list }) => ({ list: list.filter((a) => a.id !== id) }));

/** Brings one file in, showing how far it is; null when it could not be read, which stays on screen until closed. */
async function bringOne(file: File, to?: { id: string; gesture: string }, as = ""): Promise<Brief | null> {
  const id = next++;
  useStore.setState(({ list }) => ({ list: [...list, { id, name: file.name, share: 0, problem: null }] }));
  try {
    const material = await upload(file, (share) => update(id, { share }), to, as);
    drop(id);
    return material;
  } catch (error) {
    update(id, { problem: error instanceof Problem ? error : new Problem(0, `${file.name} could not be read.`, "") });
    return null;
  }
}

/** Files in groups of one surface each; every file by itself where the program does not answer. */
async function grouped(files: File[]): Promise<File[][]> {
  if (files.length < 2) return [files];
  const waiting = [...files];
  const take = (name: string) =>
    waiting.splice(
      waiting.findIndex((file) => file.name === name),
      1,
    )[0]!;
  return (await api.groups(files.map((file) => file.name))).map((names) => names.map(take));
}

/** More maps of a material that is there already. */
export async function bringMaps(id: string, files: File[]) {
  const gesture = crypto.randomUUID();
  const before = await api.material(id).catch(() => null);
  for (const file of files) await bringOne(file, { id, gesture });
  await settle(
    id,
    before?.files.map((file) => file.key),
  );
}

/** What follows once all files of a surface are there: the lamps of a light set, the places of second photographs.
 * before: keys of files that were there already, and lie as they were left. */
async function settle(id: string, before: string[] = []) {
  try {
    let material = await api.material(id);
    const fresh = material.files.slice(1).filter((file) => !before.includes(file.key));
    const lights = material.files.filter((file) => file.role === "light").length;
    if (lights >= 3 && fresh.some((file) => file.role === "light")) {
      const found = await api.findLights(id, material.revision);
      material = found.material;
      useLights.setState({ found: { ...found, id } });
    }
    for (const file of fresh.filter((one) => one.guess === "back" || one.guess === "back_lit")) {
      if (wayOf(material.recipe.operations, file.key) === "free")
        material = (await api.place(id, file.key, material.revision, "lay", [])).material;
    }
  } catch (error) {
    // Everything is there; what was not found out can be asked for again, or set by hand.
    tellProblem(error, "Brought in, but not all was found out");
  }
}

export function useArrivals() {
  const queries = useQueryClient();
  const bring = useCallback(
    async (files: File[], kind: Kind = "photographs") => {
      let last: string | null = null;
      let count = 0;
      const together = kind === "lights" || kind === "cutout" || kind === "maps";
      const groups = together ? [files] : await grouped(files).catch(() => files.map((file) => [file]));
      for (const group of groups) {
        const gesture = crypto.randomUUID();
        let surface: string | null = null;
        for (const file of group) {
          const as = kind === "lights" ? "light" : kind === "cutout" && !surface ? "cutout" : "";
          const material = await bringOne(file, surface ? { id: surface, gesture } : undefined, as);
          surface ??= material?.id ?? null;
          await queries.invalidateQueries({ queryKey: ["materials"] });
        }
        if (surface && group.length > 1) await settle(surface);
        last = surface ?? last;
        count += surface ? 1 : 0;
      }
      // One surface is meant to be worked on; many are looked over first.
      if (last && groups.length === 1) go(last);
      else if (count) tell(`${count} materials were added`);
    },
    [queries],
  );
  return { bring };
}

export function Arrivals() {
  const { list } = useStore();
  if (!list.length) return null;
  return (
    <ul aria-label="Captures on their way" className="fixed right-5 bottom-5 z-30 flex w-96 flex-col gap-2">
      {list.map((arrival) => (
        <li
          key={arrival.id}
          role={arrival.problem ? "alert" : undefined}
          className="rounded-card border border-line bg-lifted px-3 py-2 shadow-lg shadow-black/40"
        >
          {arrival.problem ? (
            <div className="flex items-start gap-2">
              <span aria-hidden className="font-bold">
                !
              </span>
              <div className="min-w-0 flex-1">
                <p className="font-medium break-words">{arrival.problem.message}</p>
                <p className="text-soft">{arrival.problem.detail}</p>
              </div>
              <button
                type="button"
                aria-label="Close"
                onClick={() => drop(arrival.id)}
                className="text-soft hover:text-text"
              >
                <X size={14} />
              </button>
            </div>
          ) : (
            <>
              <p className="truncate">
                {arrival.share < 1 ? `Bringing in ${arrival.name}` : `Reading ${arrival.name}`}
              </p>
              <div className="mt-1.5 h-[3px] overflow-hidden rounded-full bg-line">
                <div className="h-full bg-amber" style={{ width: `${arrival.share * 100}%` }} />
              </div>
            </>
          )}
        </li>
      ))}
    </ul>
  );
}
