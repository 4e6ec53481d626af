/** The files that are audited and the report on them; kept in this browser until others come. */
import { create } from "zustand";
import { request } from "../api/client";
import type {
  AuditedFile,
  AuditedSet,
  AuditFile,
  AuditFinding,
  AuditRefused,
  AuditRemains,
  AuditReport,
  AuditTaken,
  Brief,
} from "../api/types";
import { tell, tellProblem } from "../ui/notices";

export type { AuditedFile, AuditedSet, AuditFinding };

interface Auditing {
  files: AuditFile[];
  refused: AuditRefused[];
  profile: string;
  report: AuditReport | null;
  /** What is under way, in words; "" for nothing. */
  doing: string;
}

const KEPT = "audit-1";
const before = JSON.parse(sessionStorage.getItem(KEPT) ?? "{}") as Partial<Auditing>;
export const useAudit = create<Auditing>(() => ({
  files: before.files ?? [],
  refused: before.refused ?? [],
  profile: before.profile ?? "separate_y_plus",
  report: null,
  doing: "",
}));
useAudit.subscribe(({ files, refused, profile }) =>
  sessionStorage.setItem(KEPT, JSON.stringify({ files, refused, profile })),
);
const { getState: now, setState: set } = useAudit;

async function asked<T>(path: string, body: unknown): Promise<T> {
  return (
    await request(path, { method: "POST", headers: { "Content-Type": "application/json" }, body: JSON.stringify(body) })
  ).json() as Promise<T>;
}

/** A file with the folders it lies in before its name. */
export interface Brought {
  file: File;
  name: string;
}

/** Takes files, in place of those there were, and audits them. */
export async function bringToAudit(files: Brought[]) {
  if (!files.length) return;
  const all: AuditTaken = { files: [], refused: [] };
  for (const [number, { file, name }] of files.entries()) {
    set({ doing: `Reading ${file.name} (${number + 1} of ${files.length}) …` });
    try {
      const answer = await request(`/api/audit/files?file=${encodeURIComponent(name)}`, { method: "POST", body: file });
      const found = (await answer.json()) as AuditTaken;
      all.files.push(...found.files);
      all.refused.push(...found.refused);
    } catch (error) {
      tellProblem(error, `${file.name} cannot be read`);
    }
  }
  await take(all);
}

/** Takes the simulated purchase that ships with the program. */
export async function auditSample() {
  set({ doing: "Buying the harbour grating (simulated) …" });
  try {
    await take(await asked<AuditTaken>("/api/audit/sample", {}));
  } catch (error) {
    set({ doing: "" });
    tellProblem(error);
  }
}

async function take(brought: AuditTaken) {
  set({ ...brought, report: null, doing: "" });
  if (brought.files.length) await audit();
  else if (!brought.refused.length) tell("There was no picture among these files.");
}

let newest = 0;

/** Looks at the files for the receiver that is chosen; an answer to an older question is let go. */
export async function audit(profile = now().profile) {
  const mine = ++newest;
  set({ profile });
  const { files } = now();
  if (!files.length) return;
  set({ doing: "Looking at every map …" });
  try {
    const report = await asked<AuditReport>("/api/audit", { files, profile });
    if (mine === newest) set({ report: { ...report, refused: [...now().refused, ...report.refused] } });
  } catch (error) {
    if (mine === newest) tellProblem(error, "The audit could not be made");
  } finally {
    if (mine === newest) set({ doing: "" });
  }
}

/** Makes a repaired material of one set; answers its id. also: findings that are not sure and are repaired too. */
export async function repair(number: number, also: string[]): Promise<string | null> {
  const { files, profile } = now();
  set({ doing: "Repairing …" });
  try {
    return (await asked<Brief>("/api/audit/repair", { files, profile, set: number, also })).id;
  } catch (error) {
    tellProblem(error, "The set could not be repaired");
    return null;
  } finally {
    set({ doing: "" });
  }
}

/** What the audit still finds once all that is sure, and what is asked for besides, is put right. */
export async function remains(number: number, also: string[]): Promise<AuditFinding[]> {
  const { files, profile } = now();
  return (await asked<AuditRemains>("/api/audit/remains", { files, profile, set: number, also })).findings;
}

export async function litPicture(number: number, signal: AbortSignal, also: string[] = []): Promise<string> {
  const { files, profile } = now();
  const answer = await request("/api/audit/lit.jpg", {
    method: "POST",
    headers: { "Content-Type": "application/json" },
    body: JSON.stringify({ files, profile, set: number, also }),
    signal,
  });
  return URL.createObjectURL(await answer.blob());
}
