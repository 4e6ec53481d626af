/** Files on their way in: several at once, each with its progress, each telling its own trouble. */
import { X } from "lucide-react";
import { useQueryClient } from "@tanstack/react-query";
import { useCallback } from "react";
import { create } from "zustand";
import { api, Problem, upload } from "../api/client";
import type { Brief, BroughtFile, KeptFile } from "../api/types";
import { go } from "../app/router";
import { useEditor } from "../editor/store";
import { useLights } from "../stages/gather/lights";
import { findWalk } from "../stages/gather/walk";
import { tell, tellProblem } from "../ui/notices";
import type { Kind } from "./Kinds";
import { askScan, ScanQuestion } from "./ScanQuestion";
import { askHowSorted, SortQuestion, type SortKind } from "./Sort";

export const ACCEPT =
  ".jpg,.jpeg,.png,.tif,.tiff,.webp,.exr,.heic,.heif,.avif,.jxl,.jp2,.j2k,.tga,.bmp,.dds,.psd,.psb,.hdr,.ppm,.pgm,.pbm,.pnm,.gif," +
  ".obj,.mtl,.ply,.stl,.glb,.las,.laz,.zip," +
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
async function bringOne<T>(file: File, send: (progress: (share: number) => void) => Promise<T>): Promise<T | null> {
  const id = next++;
  useStore.setState(({ list }) => ({ list: [...list, { id, name: file.name, share: 0, problem: null }] }));
  try {
    const made = await send((share) => update(id, { share }));
    drop(id);
    return made;
  } catch (error) {
    update(id, { problem: error instanceof Problem ? error : new Problem(0, `${file.name} could not be read.`, "") });
    return null;
  }
}

/** What the choosers of the library are to the program that sorts. */
const SORTED_AS: Record<Kind, SortKind | ""> = {
  photographs: "",
  lights: "light_set",
  cutout: "cutout",
  maps: "maps",
  walk: "walk_by",
  bracket: "bracket",
  focus: "focus",
  scan: "",
  sides: "two_lights",
};
/** What can be nothing but a scan. */
const SCAN = /\.(obj|ply|stl|glb|las|laz)$/i;

/** A scan and what came with it, or a depth map: kept, shown, and made into a material once somebody agreed. */
async function scans(files: File[]): Promise<Brief[]> {
  const own = files.some(({ name }) => SCAN.test(name)) ? files.filter(({ name }) => SCAN.test(name)) : files;
  const others = files.filter((file) => !own.includes(file));
  const made: Brief[] = [];
  const beside: KeptFile[] = [];
  for (const file of others) {
    const one = await bringOne(file, (progress) => upload(file, progress, "scan"));
    if (one) beside.push(one);
  }
  for (const file of own) {
    const one = await bringOne(file, (progress) => upload(file, progress, "scan"));
    const material = one && (await askScan(one, beside));
    if (material) made.push(material);
  }
  return made;
}

/** Files that go together, as what they are: kept, sorted, asked about where that cannot be told, and made into
 * materials. Null when nobody wants them. */
async function together(files: File[], kind: SortKind | "", to = ""): Promise<Brief[] | null> {
  const kept: BroughtFile[] = [];
  for (const file of files) {
    const one = await bringOne(file, (progress) => upload(file, progress, "incoming"));
    // The same file twice is one file.
    if (one && !kept.some(({ blob, file }) => blob === one.blob && file === one.file)) kept.push(one);
  }
  if (!kept.length) return null;
  try {
    const sorting = await api.sort(
      kept.map(({ blob, file }) => ({ blob, file })),
      kind || (to && kept.length === 1 ? "maps" : ""),
    );
    const sure = sorting.sure || (Boolean(to) && kept.length === 1);
    const answer = sure
      ? { kind: sorting.kind as SortKind, rows: [...sorting.rows] }
      : await askHowSorted(sorting, kind !== "", Boolean(to));
    if (!answer) return null;
    return await api.take(
      answer.kind,
      answer.rows.map(({ blob, file, role }) => ({ blob, file, role })),
      to,
      crypto.randomUUID(),
    );
  } catch (error) {
    tellProblem(error);
    return null;
  }
}

/** More files of a material that is there already. */
export async function bringMaps(id: string, files: File[]) {
  if (!files.length) return;
  const before = await api.material(id).catch(() => null);
  await together(files, "", id);
  await settle(
    id,
    before?.files.map((file) => file.key),
  );
}

/** What follows once all files of a surface are there: the lamps of a light set, the places of second photographs.
 * before: keys of files that were there already, and lie as they were left. */
async function settle(id: string, before: string[] = []) {
  try {
    const material = await api.material(id);
    const fresh = material.files.filter((file) => !before.includes(file.key));
    const lights = material.files.filter((file) => file.role === "light").length;
    if (lights >= 3 && fresh.some((file) => file.role === "light")) {
      useLights.setState({ looking: true });
      const { material: newest, ...found } = await api.findLights(id, material.revision);
      if (useEditor.getState().material?.id === id) useEditor.setState({ material: newest });
      useLights.setState({ found: { ...found, id } });
    }
    if (material.files.some((file) => file.role === "walk") && !material.recipe.operations["gather.walk"]?.normal) {
      await findWalk(id, material.revision);
    }
    if (fresh.some((file) => ["back", "back_lit", "part", "other_light"].includes(file.guess))) {
      const { told } = await api.settle(
        id,
        fresh.map((file) => file.key),
      );
      for (const { level, text } of told) if (level !== "pass") tell("Look at how it lies", text);
    }
  } catch (error) {
    // Everything is there; what was not found out can be asked for again, or set by hand.
    tellProblem(error, "Brought in, but not all was found out");
  } finally {
    useLights.setState({ looking: false });
  }
}

export function useArrivals() {
  const queries = useQueryClient();
  const bring = useCallback(
    async (files: File[], kind: Kind = "photographs") => {
      let made: Brief[] | null;
      const told = await Promise.all(files.map(isBundle));
      const bundles = files.filter((_, number) => told[number]);
      // What came beside bundles comes in by itself.
      if (bundles.length && bundles.length < files.length)
        await bring(
          files.filter((_, number) => !told[number]),
          kind,
        );
      if (bundles.length) made = await takeBundles(bundles);
      else if (files.length === 1 && kind === "photographs" && !SCAN.test(files[0]!.name)) {
        const one = await bringOne(files[0]!, (progress) => upload(files[0]!, progress, "material"));
        made = one && [one];
      } else if (kind === "scan" || files.some(({ name }) => SCAN.test(name))) made = await scans(files);
      else made = (await inGroups(files, kind)) ?? null;
      if (made && !bundles.length) await beginWithStart(made);
      await queries.invalidateQueries({ queryKey: ["library"] });
      if (!made?.length) return;
      // One surface is meant to be worked on; many are looked over first.
      if (made.length > 1) {
        tell(`${made.length} materials were added`);
        return;
      }
      const [{ id }] = made as [Brief];
      const detail = await api.material(id).catch(() => null);
      // While the lamps are looked for, the page shows how far that is.
      if (detail?.files.some((file) => file.role === "light" || file.role === "walk")) go(id);
      await settle(id);
      await queries.invalidateQueries({ queryKey: ["library"] });
      go(id);
    },
    [queries],
  );
  return { bring };
}

/** The first thing in a bundle is what says so. */
async function isBundle(file: File): Promise<boolean> {
  if (!/\.zip$/i.test(file.name)) return false;
  const head = new TextDecoder("latin1").decode(await file.slice(0, 41).arrayBuffer());
  return head.startsWith("PK\x03\x04") && head.slice(30) === "bundle.json";
}

/** Bundles among files become materials, one after the other. */
async function takeBundles(files: File[]): Promise<Brief[]> {
  const made: Brief[] = [];
  for (const file of files) {
    const one = await bringOne(file, (progress) => upload(file, progress, "bundle"));
    if (one) made.push(one);
  }
  return made;
}

/** What fresh captures begin with: the number of a start, 0 for settings as they come. */
export const useBegin = create<{ start: number }>(() => ({ start: 0 }));

/** Fresh materials with the settings of the chosen start, as a step of their own; what does not fit is told. */
async function beginWithStart(made: readonly Brief[]) {
  const { start } = useBegin.getState();
  if (!start) return;
  try {
    const paths = (await api.carriableOfStart(start)).filter((row) => !row.why).map((row) => row.path);
    const left = new Set<string>();
    for (const { id } of made)
      for (const row of (await api.carry(id, { material: "", start, paths, stages: [] })).left_out)
        left.add(`${row.what}: ${row.why}`);
    if (left.size) tell("Not all of the start fitted", [...left].join("; "));
  } catch (error) {
    tellProblem(error, "Brought in without the start");
  }
}

/** Files whose names say that they are of several surfaces are taken surface by surface. */
async function inGroups(files: File[], kind: Kind): Promise<Brief[] | null> {
  if (kind !== "photographs") return together(files, SORTED_AS[kind]);
  const names = await api.groups(files.map((file) => file.name)).catch(() => [files.map((file) => file.name)]);
  const several = names.filter((group) => group.length > 1);
  // Names that say nothing, or all of one surface: what they are is seen in the pictures.
  if (!several.length || names.length === 1) return together(files, "");
  const waiting = [...files];
  const made: Brief[] = [];
  for (const group of names) {
    const own = group.map((name) =>
      waiting.splice(
        waiting.findIndex((file) => file.name === name),
        1,
      ),
    );
    made.push(...((await together(own.flat(), "")) ?? []));
  }
  for (const { id } of made) if (names.length > 1) await settle(id);
  return made;
}

export function Arrivals() {
  const { list } = useStore();
  return (
    <>
      <SortQuestion />
      <ScanQuestion />
      {list.length > 0 && <Under list={list} />}
    </>
  );
}

function Under({ list }: { list: Arrival[] }) {
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
