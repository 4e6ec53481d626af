/** Requests to the service. Errors carry what happened and what to do. */
import type {
  About,
  AskedScan,
  Batch,
  BatchBrief,
  BatchWanted,
  Brief,
  BroughtFile,
  CameraProfile,
  CardIds,
  CardNotes,
  Cards,
  CarriableSetting,
  CarriedTo,
  CarryLook,
  Changes,
  ChartFound,
  Checks,
  Compared,
  DemoMaking,
  Deleted,
  Deletion,
  Edit,
  EyeQuestion,
  Figures,
  FilePlan,
  HistogramTold,
  HowMany,
  Job,
  KeptFile,
  KeptProfile,
  KeptStart,
  LayerId,
  LabelsChanged,
  Lights,
  LightsFound,
  Material,
  NextSteps,
  Merging,
  Nothing,
  PictureMaker,
  Place,
  Placed,
  PlacementFit,
  Places,
  Probe,
  Profile,
  Proposal,
  ResultsDeleted,
  ScanLook,
  ScanTaken,
  SettingsToCarry,
  Settled,
  Sorting,
  Space,
  StartToKeep,
  StillWanted,
  LibraryFacets,
  TilingSuggestion,
  Triage,
  Walk,
  Wanted,
  Watched,
  ZoneSuggestions,
} from "./types";

export class Problem extends Error {
  constructor(
    readonly status: number,
    title: string,
    readonly detail: string,
  ) {
    super(title);
  }
}

/** Whether an edit called off what was asked; it is asked again. */
export const calledOff = (error: unknown): boolean => error instanceof Problem && error.status === 499;

/** Whether what was asked belongs to a state that has passed; the newest one is on its way here. */
export const hasPassed = (error: unknown): boolean => error instanceof Problem && error.status === 409;

async function answered(response: Response): Promise<Response> {
  if (response.status === 204) throw new Problem(499, "Called off.", "");
  if (response.ok) return response;
  const body = (await response.json().catch(() => ({}))) as { title?: string; detail?: string };
  throw new Problem(
    response.status,
    body.title ?? "The program did not answer.",
    body.detail ?? "Is it still running?",
  );
}

export async function request(path: string, init?: RequestInit): Promise<Response> {
  try {
    return await answered(await fetch(path, init));
  } catch (error) {
    if (error instanceof Problem || (error instanceof DOMException && error.name === "AbortError")) throw error;
    throw new Problem(0, "The program cannot be reached.", "Is it still running? Nothing that was saved is lost.");
  }
}

async function get<T>(path: string, signal?: AbortSignal): Promise<T> {
  return (await request(path, { signal: signal ?? null })).json() as Promise<T>;
}

async function send<T>(method: string, path: string, body: unknown): Promise<T> {
  // keepalive: a change that is on its way arrives even when the page is left.
  const init = { method, headers: { "Content-Type": "application/json" }, body: JSON.stringify(body), keepalive: true };
  return (await request(path, init)).json() as Promise<T>;
}

const ENCLOSED = "application/vnd.amber-thicket.enclosed";

/** An answer that may have the first picture enclosed: length of the JSON, the JSON, the JPEG. */
async function opened(response: Response): Promise<{ material: Material; picture: Blob | null }> {
  if (!response.headers.get("Content-Type")?.startsWith(ENCLOSED))
    return { material: (await response.json()) as Material, picture: null };
  const data = await response.arrayBuffer();
  const length = new DataView(data).getUint32(0, true);
  const material = JSON.parse(new TextDecoder().decode(new Uint8Array(data, 4, length))) as Material;
  return {
    material,
    picture: data.byteLength > 4 + length ? new Blob([new Uint8Array(data, 4 + length)], { type: "image/jpeg" }) : null,
  };
}

const at = (id: string) => `/api/materials/${id}`;

export const api = {
  about: () => get<About>("/api/about"),
  materials: (archived: boolean) => get<Brief[]>(`/api/materials${archived ? "?archived=1" : ""}`),
  library: (query: string, first: number, most: number, signal?: AbortSignal) =>
    get<Cards>(`/api/library?${query}&first=${first}&most=${most}`, signal),
  cardIds: (query: string) => get<CardIds>(`/api/library/ids?${query}`),
  facets: (archived: boolean) => get<LibraryFacets>(`/api/library/facets${archived ? "?archived=1" : ""}`),
  label: (changed: LabelsChanged) => send<Nothing>("POST", "/api/library/labels", changed),
  setManyAside: (materials: string[], archived: boolean) =>
    send<HowMany>("POST", "/api/library/archive", { materials, archived }),
  cardNotes: (id: string) => get<CardNotes>(`${at(id)}/card`),
  note: (id: string, notes: string) => send<CardNotes>("PATCH", `${at(id)}/card`, { notes }),
  duplicate: (id: string) => send<Brief>("POST", `${at(id)}/duplicate`, {}),
  carriable: (id: string) => get<CarriableSetting[]>(`${at(id)}/carriable`),
  carriableOfStart: (start: number) => get<CarriableSetting[]>(`/api/starts/${start}/carriable`),
  lookAtCarry: (id: string, asked: SettingsToCarry) => send<CarryLook>("POST", `${at(id)}/carry/look`, asked),
  carry: (id: string, asked: SettingsToCarry) => send<CarriedTo>("POST", `${at(id)}/carry`, asked),
  batches: () => get<BatchBrief[]>("/api/batches"),
  beginBatch: (wanted: BatchWanted) => send<Batch>("POST", "/api/batches", wanted),
  batch: (id: number, signal?: AbortSignal) => get<Batch>(`/api/batches/${id}`, signal),
  stopBatch: (id: number) => send<Batch>("POST", `/api/batches/${id}/cancel`, {}),
  resumeBatch: (id: number) => send<Batch>("POST", `/api/batches/${id}/resume`, {}),
  providers: () => get<PictureMaker[]>("/api/providers"),
  demo: () => get<DemoMaking>("/api/demo"),
  watched: () => get<Watched>("/api/watched"),
  starts: () => get<KeptStart[]>("/api/starts"),
  keepStart: (start: StartToKeep) => send<KeptStart>("POST", "/api/starts", start),
  forgetStart: (start: number) => send<Nothing>("DELETE", `/api/starts/${start}`, {}),
  takeRecipe: (id: string, revision: number, recipe: unknown) =>
    send<Material>("PUT", `${at(id)}/recipe`, { revision, recipe }),
  material: (id: string) => get<Material>(at(id)),
  edit: async (id: string, edit: Edit) => {
    const body = JSON.stringify(edit);
    const headers = { "Content-Type": "application/json", Accept: `${ENCLOSED}, application/json` };
    return opened(await request(`${at(id)}/recipe`, { method: "PATCH", headers, body, keepalive: true }));
  },
  step: (id: string, way: "undo" | "redo", revision: number) =>
    send<Material>("POST", `${at(id)}/${way}`, { revision }),
  rename: (id: string, name: string) => send<Material>("PATCH", at(id), { name }),
  setAside: (id: string, archived: boolean) => send<Brief>("POST", `${at(id)}/${archived ? "archive" : "restore"}`, {}),
  checks: (id: string, signal?: AbortSignal) => get<Checks>(`${at(id)}/checks?slot=checks`, signal),
  triage: (id: string, signal?: AbortSignal) => get<Triage>(`${at(id)}/triage?slot=triage`, signal),
  next: (id: string, signal?: AbortSignal) => get<NextSteps>(`${at(id)}/next?slot=next`, signal),
  figures: (id: string, signal?: AbortSignal) => get<Figures>(`${at(id)}/figures?slot=figures`, signal),
  compare: (id: string, one: LayerId, other: LayerId, signal?: AbortSignal) =>
    get<Compared>(`${at(id)}/compare?one=${one}&other=${other}`, signal),
  histogram: (id: string, layer: LayerId, signal?: AbortSignal) =>
    get<HistogramTold>(`${at(id)}/histogram/${layer}?slot=histogram-${layer}`, signal),
  probe: (id: string, x: number, y: number, signal?: AbortSignal) =>
    get<Probe>(`${at(id)}/probe?x=${x.toFixed(5)}&y=${y.toFixed(5)}`, signal),
  groups: (names: string[]) => send<string[][]>("POST", "/api/groups", { names }),
  setRole: (id: string, key: string, revision: number, role: string) =>
    send<Material>("PATCH", `${at(id)}/files/${key}`, { revision, role }),
  zones: (id: string) => get<ZoneSuggestions>(`${at(id)}/zones/suggested`),
  neutral: (id: string, [x, y]: [number, number]) => send<Changes>("POST", `${at(id)}/neutral`, { x, y }),
  tiling: (id: string) => get<TilingSuggestion>(`${at(id)}/tiling`),
  places: (id: string) => get<Places>(`${at(id)}/places`),
  leaveOut: (id: string, places: Place[]) => send<Changes>("POST", `${at(id)}/leave_out`, { places }),
  fill: (id: string, places: Place[]) => send<Changes>("POST", `${at(id)}/fill`, { places }),
  proposal: (id: string) => get<Proposal>(`${at(id)}/proposal`),
  bend: (id: string, lines: [number, number][][]) => send<Changes>("POST", `${at(id)}/bend`, { lines }),
  lights: (id: string) => get<Lights>(`${at(id)}/lights`),
  findLights: (id: string, revision: number) => send<LightsFound>("POST", `${at(id)}/lights/find`, { revision }),
  stopLights: (id: string) => send<Nothing>("DELETE", `${at(id)}/lights/find`, {}),
  place: (id: string, file: string, revision: number, way: string, pairs: [number, number, number, number][]) =>
    send<Placed>("POST", `${at(id)}/files/${file}/place`, { revision, way, pairs }),
  sort: (files: { blob: string; file: string }[], kind = "") =>
    send<Sorting>("POST", "/api/incoming/sort", { files, kind }),
  take: (kind: string, rows: { blob: string; file: string; role: string }[], to = "", gesture = "") =>
    send<Brief[]>("POST", "/api/incoming/take", { kind, rows, to, gesture }),
  byEye: (id: string, round: string, chosen: Changes, refused: string[]) =>
    send<EyeQuestion>("POST", `${at(id)}/by-eye`, { round, chosen, refused }),
  lookAtScan: (asked: AskedScan) => send<ScanLook>("POST", "/api/scans/look", asked),
  takeScan: (asked: AskedScan) => send<ScanTaken>("POST", "/api/scans/take", asked),
  stopScan: (slot: string) => send<Nothing>("DELETE", `/api/scans/${slot}`, {}),
  settle: (id: string, keys: string[]) => send<Settled>("POST", `${at(id)}/settle`, { keys }),
  merging: (id: string) => get<Merging>(`${at(id)}/merge`),
  chart: (id: string, file: string, corners: [number, number][]) =>
    send<ChartFound>("POST", `${at(id)}/chart`, { file, corners }),
  cameras: () => get<CameraProfile[]>("/api/cameras"),
  keepCamera: (name: string, matrix: number[], before: number, after: number) =>
    send<CameraProfile>("POST", "/api/cameras", { name, matrix, before, after }),
  dropCamera: (id: number) => send<Nothing>("DELETE", `/api/cameras/${id}`, {}),
  walk: (id: string) => get<Walk>(`${at(id)}/walk`),
  findWalk: (id: string, revision: number) => send<Settled>("POST", `${at(id)}/walk/find`, { revision }),
  stopWalk: (id: string) => send<Nothing>("DELETE", `${at(id)}/walk/find`, {}),
  fit: (id: string, file: string) => get<PlacementFit>(`${at(id)}/files/${file}/fit`),
  generate: (wanted: Wanted) => send<Job>("POST", "/api/generate", wanted),
  keep: (job: string, number: number) => send<Brief>("POST", `/api/generate/${job}/${number}/keep`, {}),
  packSeveral: (materials: string[]) => send<Job>("POST", "/api/pack", { materials }),
  sheet: (materials: string[], name: string, side: number, padding: number) =>
    send<Brief>("POST", "/api/sheets", { materials, name, side, padding }),
  snapshot: (id: string, name: string) => send<Material>("POST", `${at(id)}/snapshots`, { name }),
  dropSnapshot: (id: string, snapshot: number) => send<Material>("DELETE", `${at(id)}/snapshots/${snapshot}`, {}),
  backTo: (id: string, snapshot: number, revision: number) =>
    send<Material>("POST", `${at(id)}/snapshots/${snapshot}/back`, { revision }),
  compareWith: (id: string, layer: LayerId, snapshot: number, signal?: AbortSignal) =>
    get<Compared>(`${at(id)}/snapshots/${snapshot}/compare?layer=${layer}`, signal),
  plan: (id: string) => get<FilePlan>(`${at(id)}/plan`),
  pack: (id: string, revision: number) => send<Job>("POST", `${at(id)}/pack`, { revision }),
  space: () => get<Space>("/api/space"),
  dropResults: () => send<ResultsDeleted>("POST", "/api/space/results", {}),
  deletion: (id: string) => get<Deletion>(`${at(id)}/deletion`),
  deleteForGood: (id: string) => send<Deleted>("DELETE", at(id), {}),
  jobs: () => get<Job[]>("/api/jobs"),
  profiles: () => get<KeptProfile[]>("/api/profiles"),
  keepProfile: (profile: Profile) => send<KeptProfile>("POST", "/api/profiles", { profile }),
  dropProfile: (id: number) => send<Nothing>("DELETE", `/api/profiles/${id}`, {}),
  still: (id: string, wanted: StillWanted) => send<Job>("POST", `${at(id)}/still`, wanted),
  putOnCard: (id: string, job: string) => send<Material>("POST", `${at(id)}/card`, { job }),
  cancel: (id: string) => send<Job>("POST", `/api/jobs/${id}/cancel`, {}),
};

export function pictureUrl(
  id: string,
  layer: string,
  kind: "jpg" | "png" | "u16",
  key: string,
  slot = "",
  side = 768,
): string {
  // A zone is shown as a picture of its own: the colour where it is, grey elsewhere.
  if (layer.startsWith("zone:"))
    return `${at(id)}/zones/${layer.slice(5)}.jpg?key=${key}&side=${side}${slot && `&slot=${slot}`}`;
  // A layer as it was in a snapshot: then:NUMBER:LAYER.
  if (layer.startsWith("then:")) {
    const [, number, what] = layer.split(":");
    return `${at(id)}/snapshots/${number}/${what}.jpg?side=${side}`;
  }
  // A photograph of a light set, or what proves it: light:NUMBER:WHAT.
  if (layer.startsWith("light:")) {
    const [, number, what] = layer.split(":");
    return `${at(id)}/lights/${number}/${what}.jpg?key=${key}`;
  }
  // A layer of another tile of the set: of:NUMBER:LAYER. The key is that of the tile that is shown.
  const [, tile, what] = layer.startsWith("of:") ? layer.split(":") : ["", "", layer];
  return `${at(id)}/picture/${what}.${kind}?key=${key}&side=${side}${slot && `&slot=${slot}`}${tile && `&tile=${tile}`}`;
}

/** Uploads one file, telling how far it is (0…1): a new material, or only kept ("incoming" to be sorted, "scan"). */
export function upload(file: File, progress: (share: number) => void, to: "material" | "bundle"): Promise<Brief>;
export function upload(file: File, progress: (share: number) => void, to: "incoming"): Promise<BroughtFile>;
export function upload(file: File, progress: (share: number) => void, to: "scan"): Promise<KeptFile>;
export function upload(
  file: File,
  progress: (share: number) => void,
  to: "material" | "bundle" | "incoming" | "scan",
): Promise<Brief | BroughtFile | KeptFile> {
  return new Promise((resolve, reject) => {
    const line = new XMLHttpRequest();
    const name = encodeURIComponent(file.name);
    const where = {
      material: "/api/materials",
      bundle: "/api/bundles",
      incoming: "/api/incoming",
      scan: "/api/scans/files",
    }[to];
    line.open("POST", `${where}?file=${name}`);
    line.responseType = "json";
    line.upload.onprogress = (event) => progress(event.lengthComputable ? event.loaded / event.total : 0);
    line.onload = () => {
      const body = (line.response ?? {}) as { title?: string; detail?: string };
      if (line.status < 300) resolve(line.response as Brief & BroughtFile);
      else reject(new Problem(line.status, body.title ?? "The upload failed.", body.detail ?? "Try again."));
    };
    line.onerror = () => reject(new Problem(0, `${file.name} could not be sent.`, "Is the program still running?"));
    line.send(file);
  });
}
