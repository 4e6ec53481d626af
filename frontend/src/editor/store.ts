/** The open material: its newest state, changes on their way, and what the person looks at. */
import { create } from "zustand";
import { keepAbout } from "../api/about";
import { api, Problem } from "../api/client";
import type { About, Changes, LayerId, Material, SettingPath, SettingValue, SettingValues } from "../api/types";
import { HALF, isSlow, keepPicture, noteTime, USUAL } from "../views/kept";
import { useViews } from "../views/state";
import { tell, tellProblem } from "../ui/notices";

export type { Changes };

interface Waiting {
  changes: Changes;
  label: string;
  gesture: string;
}

interface EditorState {
  about: About | null;
  material: Material | null;
  /** Changes not yet answered; they show at once. */
  pending: Changes;
  saving: boolean;
  /** Set when the material cannot be opened. */
  missing: Problem | null;
  /** Why changes cannot be saved just now; they are kept here and sent again. */
  unsaved: Problem | null;
}

export const useEditor = create<EditorState>(() => ({
  about: null,
  material: null,
  pending: {},
  saving: false,
  missing: null,
  unsaved: null,
}));

const get = useEditor.getState;
const set = useEditor.setState;
/** Changes in the order they were made; one is on its way at a time. */
const queue: Waiting[] = [];
let running: Promise<void> | null = null;
/** Changes that could not be saved when another material was opened, by material. */
const leftBehind = new Map<string, Waiting[]>();
const AGAIN_AFTER = 5000;
let again: ReturnType<typeof setTimeout> | undefined;
/** Whether what is sent may have arrived before, and only the answer was lost. */
let mayHaveArrived = false;
/** The newest revision announced so far; Infinity when the line was down and anything may have been missed. */
let heard = 0;

export async function loadAbout() {
  if (!get().about) set({ about: keepAbout(await api.about()) });
}

export async function openMaterial(id: string) {
  const last = get().material?.id;
  if (last && last !== id && queue.length) leftBehind.set(last, [...queue]);
  set({ material: last === id ? get().material : null, pending: {}, missing: null, unsaved: null });
  queue.length = 0;
  clearTimeout(again);
  heard = 0;
  try {
    const [material] = await Promise.all([api.material(id), loadAbout()]);
    set({ material });
    await catchUp(heard);
    takeUp(id);
  } catch (error) {
    if (error instanceof Problem) set({ missing: error });
    else throw error;
  }
}

/** What could not be saved before another material was opened is tried again. */
function takeUp(id: string) {
  const kept = leftBehind.get(id);
  if (!kept) return;
  leftBehind.delete(id);
  queue.push(...kept);
  set({ pending: pendingOf(queue) });
  void drain();
}

const pendingOf = (waiting: Waiting[]): Changes => Object.assign({}, ...waiting.map((one) => one.changes)) as Changes;

/** Catches up with what another tab, an import, or a restart of the program changed. What is announced while the
 * material is still on its way, or while a change of our own is, is looked after when that has come. */
export async function catchUp(revision = Infinity) {
  heard = Math.max(heard, revision);
  const material = get().material;
  if (!material || running || heard <= material.revision) return;
  const newest = await api.material(material.id);
  heard = newest.revision;
  if (get().material?.id === newest.id && newest.revision > (get().material?.revision ?? 0)) set({ material: newest });
}

/** The value in force: what was just changed, else the recipe's, else the default. */
export function valueOf<P extends SettingPath>(state: EditorState, path: P): SettingValues[P] {
  return inForce(state, path) as SettingValues[P];
}

function inForce(state: EditorState, path: SettingPath): SettingValue {
  const pending = state.pending[path];
  const cut = path.lastIndexOf(".");
  const [operation, name] = [path.slice(0, cut), path.slice(cut + 1)];
  if (pending !== undefined && pending !== null) return pending;
  const kept = pending === null ? undefined : state.material?.recipe.operations[operation]?.[name];
  if (kept !== undefined) return kept;
  return state.about?.operations.find((o) => o.id === operation)?.settings.find((s) => s.name === name)?.default ?? 0;
}

/** Changes settings; the steps of one gesture fold into one. Shown at once, saved at once. */
export function change(changes: Changes, label: string, gesture = "") {
  if (!get().material) return;
  const last = queue.at(-1);
  if (last && gesture && last.gesture === gesture) last.changes = { ...last.changes, ...changes };
  else queue.push({ changes, label, gesture });
  set({ pending: { ...get().pending, ...changes } });
  void drain();
}

function drain(): Promise<void> {
  running ??= sendAll().finally(() => {
    running = null;
    catchUp(0).catch(tellProblem);
  });
  return running;
}

/** The layers that both views will ask for next. */
function showing(): LayerId[] {
  const { setups, stage, arrangement } = useViews.getState();
  const { first, second } = setups[stage];
  const whats =
    arrangement === "first" ? [first.what] : arrangement === "second" ? [second.what] : [first.what, second.what];
  return whats.filter((what) => what !== "lit");
}

/** The material once every change so far is saved; null where that is not possible just now, which is shown. */
export async function settled(): Promise<Material | null> {
  await drain();
  return get().unsaved ? null : get().material;
}

async function sendAll() {
  clearTimeout(again);
  for (let waiting = queue.shift(); waiting; waiting = queue.shift()) {
    if (await send(waiting)) continue;
    // Everything waits, in its order.
    queue.unshift(waiting);
    again = setTimeout(() => void drain(), AGAIN_AFTER);
    return;
  }
}

/** Tries at once what could not be saved. */
export const saveAgain = () => void drain();

/** The disk is full, the program is busy or gone: things that pass by. */
const passes = (error: unknown): error is Problem =>
  error instanceof Problem && [507, 503, 502, 0].includes(error.status);

let onItsWay: Changes = {};

/** Whether a change that was made in another stage than those that shape the sample and its joins moved the joins. */
export function plannedAnew(before: Material, after: Material, changes: Changes): boolean {
  const shaping = /^(square|even|tile)\./;
  return before.plan !== "" && after.plan !== before.plan && Object.keys(changes).every((path) => !shaping.test(path));
}

/** Whether a change is dealt with; otherwise it is to be sent again. */
async function send({ changes, label, gesture }: Waiting): Promise<boolean> {
  const { material } = get();
  if (!material) return true;
  onItsWay = changes;
  set({ saving: true });
  try {
    const layers = showing();
    const side = layers[0] && isSlow(layers[0]) ? HALF : USUAL;
    const began = performance.now();
    const edit = { revision: material.revision, changes, label, gesture, showing: layers, side };
    const { material: newest, picture } = await api.edit(material.id, edit);
    if (picture && layers[0]) {
      await keepPicture(layers[0], newest.keys[layers[0]] ?? "", picture, side);
      if (side === USUAL) noteTime(layers[0], performance.now() - began, false);
    }
    if (plannedAnew(material, newest, changes)) tell("The tile was planned anew: its joins lie elsewhere now.");
    // What was changed again since stays on top of the answer.
    if (get().material?.id === newest.id) set({ material: newest, pending: pendingOf(queue), unsaved: null });
    mayHaveArrived = false;
    return true;
  } catch (error) {
    if (get().material?.id !== material.id) {
      if (passes(error))
        leftBehind.set(material.id, [...(leftBehind.get(material.id) ?? []), { changes, label, gesture }]);
      return true;
    }
    if (passes(error)) {
      mayHaveArrived ||= error.status === 0;
      set({ unsaved: error });
      return false;
    }
    if (mayHaveArrived && (await hasArrived(error, material.id, changes))) return true;
    mayHaveArrived = false;
    set({ unsaved: null });
    await recover(error, material.id);
    return true;
  } finally {
    onItsWay = {};
    set({ saving: false });
  }
}

/** Whether two values say the same; what one of them leaves to its default counts as said. */
function sameValue(one: unknown, other: unknown): boolean {
  if (typeof one !== "object" || typeof other !== "object" || !one || !other) return one === other;
  return [one, other].every((asked) =>
    Object.entries(asked).every(
      ([key, value]) =>
        key in one &&
        key in other &&
        sameValue((one as Record<string, unknown>)[key], (other as Record<string, unknown>)[key]) &&
        value !== undefined,
    ),
  );
}

/** Whether a change that is refused as too late was made before: its answer was lost, not the change itself. */
async function hasArrived(error: unknown, id: string, changes: Changes): Promise<boolean> {
  if (!(error instanceof Problem) || error.status !== 409) return false;
  const newest = await api.material(id).catch(() => null);
  if (!newest || get().material?.id !== id) return false;
  const there = Object.entries(changes).every(([path, value]) => {
    const cut = path.lastIndexOf(".");
    return sameValue(newest.recipe.operations[path.slice(0, cut)]?.[path.slice(cut + 1)] ?? null, value);
  });
  if (there) {
    mayHaveArrived = false;
    set({ material: newest, pending: pendingOf(queue), unsaved: null });
  }
  return there;
}

/** The page is being left: what still waits goes out at once, as one change behind the one on its way. */
function sendLast() {
  const { material } = get();
  if (!material || (!queue.length && !get().saving)) return;
  // The one on its way may be broken off with the page, so what it says goes along once more.
  const changes = Object.assign({}, onItsWay, ...queue.map((w) => w.changes)) as Changes;
  const revision = material.revision + (get().saving ? 1 : 0);
  void api.edit(material.id, { revision, changes, label: queue.at(-1)?.label ?? "Last change" }).catch(() => {});
  queue.length = 0;
}

addEventListener("pagehide", sendLast);

async function recover(error: unknown, id: string) {
  queue.length = 0;
  set({ pending: {} });
  if (error instanceof Problem && error.status === 409) {
    tell(
      "This material was changed in another window.",
      "The newest state is shown now; your last change was not made.",
    );
  } else {
    tellProblem(error, "The change was not made");
  }
  const newest = await api.material(id).catch(() => null);
  if (newest && get().material?.id === id) set({ material: newest, pending: {} });
}

let inTurn: Promise<unknown> = Promise.resolve();

/** One after the other: each builds on the revision the one before it left. */
const next = (work: () => Promise<void>): Promise<void> => {
  const done = inTurn.then(work);
  inTurn = done;
  return done;
};

export const step = (way: "undo" | "redo") => next(() => stepped(way));

async function stepped(way: "undo" | "redo") {
  await drain();
  const { material } = get();
  if (!material?.[way]) return;
  try {
    const label = material[way];
    set({ material: await api.step(material.id, way, material.revision) });
    tell(`${way === "undo" ? "Undone" : "Redone"}: ${label}`);
  } catch (error) {
    await recover(error, material.id);
  }
}

/** Gives a file of the material another role; "" for none. */
export const setRole = (key: string, role: string) => next(() => roleSet(key, role));

async function roleSet(key: string, role: string) {
  await drain();
  const { material } = get();
  if (!material) return;
  try {
    set({ material: await api.setRole(material.id, key, material.revision, role) });
  } catch (error) {
    await recover(error, material.id);
  }
}

export async function rename(name: string) {
  const { material } = get();
  if (!material || name.trim() === material.name || !name.trim()) return;
  try {
    set({ material: await api.rename(material.id, name) });
  } catch (error) {
    tellProblem(error);
  }
}
