/** The audit: maps made elsewhere are dropped here; the report says what they are, what is wrong, and what mends it. */
import { FolderOpen, Hammer } from "lucide-react";
import { useEffect, useRef, useState } from "react";
import { roleOf } from "../api/about";
import { loadAbout, useEditor } from "../editor/store";
import { go, useTitle } from "../app/router";
import { Button } from "../ui/Button";
import { Switch } from "../ui/Switch";
import { Level } from "../ui/Level";
import { Pick } from "../ui/Pick";
import { ProgressLine } from "../ui/ProgressLine";
import { tellProblem } from "../ui/notices";
import {
  audit,
  auditSample,
  type AuditedFile,
  type AuditedSet,
  type AuditFinding,
  bringToAudit,
  type Brought,
  litPicture,
  remains,
  repair,
  useAudit,
} from "./state";
import { PageHeader } from "../app/PageHeader";

export function AuditPage() {
  const { files, report, profile, doing } = useAudit();
  const about = useEditor((state) => state.about);
  const picker = useRef<HTMLInputElement>(null);
  useTitle("Audit");
  useEffect(() => {
    loadAbout().catch(tellProblem);
    if (files.length && !report) void audit();
    // Once, when the page opens: what was audited before is looked at again.
    // eslint-disable-next-line react-hooks/exhaustive-deps
  }, []);
  const dropped = (event: React.DragEvent) => {
    event.preventDefault();
    void filesIn(event.dataTransfer).then(bringToAudit);
  };
  return (
    <div className="flex h-full flex-col" onDragOver={(event) => event.preventDefault()} onDrop={dropped}>
      <PageHeader title="Audit" about="of map sets made elsewhere" edge={<ProgressLine busy={doing !== ""} />}>
        <span className="text-soft">For</span>
        <Pick
          label="Receiver"
          value={profile}
          groups={[{ options: (about?.profiles ?? []).map(({ id, label }) => ({ value: id, label })) }]}
          onChange={(next) => void audit(next)}
        />
        <Button look={files.length ? "plain" : "main"} onClick={() => picker.current?.click()}>
          <FolderOpen size={14} /> Open maps
        </Button>
        <input
          ref={picker}
          type="file"
          multiple
          accept="image/*,.exr,.hdr,.tif,.tiff,.zip,.tga,.dds,.psd,.heic,.avif,.jxl,.jp2,.bmp,.ppm,.pgm"
          aria-label="Files to audit"
          className="hidden"
          onChange={(event) => {
            void bringToAudit(
              [...(event.target.files ?? [])].map((file) => ({ file, name: file.webkitRelativePath || file.name })),
            );
            event.target.value = "";
          }}
        />
      </PageHeader>
      <main className="min-h-0 flex-1 overflow-y-auto px-6 py-5">
        {doing && (
          <p data-testid="doing" className="pb-3 text-soft">
            {doing}
          </p>
        )}
        {!files.length && !doing && <Start demo={about?.demo ?? false} onPick={() => picker.current?.click()} />}
        {report?.sets.map((one, number) => (
          <OneSet key={`${one.name}${number}`} set={one} number={number} />
        ))}
        {report && report.refused.length > 0 && (
          <section aria-label="Left out" className="mt-4">
            <h2 className="font-medium">Left out</h2>
            {report.refused.map((row) => (
              <p key={row.file} className="text-soft">
                {row.file}: {row.why}
              </p>
            ))}
          </section>
        )}
      </main>
    </div>
  );
}

function Start({ demo, onPick }: { demo: boolean; onPick: () => void }) {
  return (
    <div className="mx-auto mt-16 flex w-[560px] flex-col items-center rounded-[14px] border-2 border-dashed border-line px-10 py-12 text-center">
      <h2 className="text-[18px] font-semibold">Drop a folder, a zip, or the maps of a set</h2>
      <p className="mt-1 mb-5 max-w-[420px] text-soft">
        Every file is looked at: which map it is, which way green and white point, how it is encoded, how deep it really
        is, whether all fit together. What can be put right is put right in one step.
      </p>
      <div className="flex gap-2">
        <Button look="main" className="h-8 px-4" onClick={onPick}>
          Open maps
        </Button>
        {demo && (
          <Button className="h-8 px-4" onClick={() => void auditSample()}>
            Harbour grating, a simulated purchase
          </Button>
        )}
      </div>
    </div>
  );
}

/** What the audit finds when it is run again on the repaired set; null until it is known. */
function useRemains(set: AuditedSet, number: number, also: string[]): AuditFinding[] | null {
  const [found, setFound] = useState<AuditFinding[] | null>(null);
  // A file may have any name.
  const asked = JSON.stringify(also);
  useEffect(() => {
    let gone = false;
    setFound(null);
    remains(number, JSON.parse(asked) as string[])
      .then((next) => !gone && setFound(next))
      .catch(() => {});
    return () => void (gone = true);
  }, [set, number, asked]);
  return found;
}

/** How many things are wrong, and how many of them are put right: all only where nothing is found after it. */
function told(wrong: AuditFinding[], also: string[], left: AuditFinding[] | null): string {
  const mended = wrong.filter((finding) => finding.repair && (!finding.weak || also.includes(finding.id))).length;
  const doubtful = wrong.filter((finding) => finding.weak && !also.includes(finding.id)).length;
  const things = wrong.length === 1 ? "1 thing is wrong" : `${wrong.length} things are wrong`;
  if (!left) return `${things}. Looking whether all of it can be put right …`;
  const still = left.filter((finding) => finding.level !== "unknown").length;
  const open = left.length - still;
  const share =
    mended === wrong.length && still === 0 && open === 0
      ? "all of them can be put right"
      : `${mended} can be put right`;
  const rest = [
    doubtful > 0 && `${doubtful} ${doubtful === 1 ? "is" : "are"} not sure and yours to decide`,
    still > 0 && `${still} ${still === 1 ? "stays" : "stay"} wrong`,
    open > 0 && `${open} cannot be told`,
  ].filter(Boolean);
  return `${things}; ${[share, ...rest].join(", ")}.`;
}

function OneSet({ set, number }: { set: AuditedSet; number: number }) {
  const [also, setAlso] = useState<string[]>([]);
  const every = [...set.files.flatMap((file) => file.findings), ...set.findings];
  const wrong = every.filter((finding) => finding.level === "blocked" || finding.level === "attention");
  const left = useRemains(set, number, also);
  const open = async () => {
    const id = await repair(number, also);
    if (id) go(id);
  };
  const decide = (id: string, on: boolean) => setAlso(on ? [...also, id] : also.filter((one) => one !== id));
  const deciding = { number, also, decide };
  return (
    <section aria-label={set.name} className="mb-8">
      <div className="flex items-start gap-5 border-b border-line pb-4">
        <div className="flex-1">
          <h2 className="flex items-center gap-2 text-[18px] font-semibold">
            <Level level={set.level} word={false} /> <span translate="no">{set.name}</span>
          </h2>
          <p className="mt-1 max-w-[520px] text-soft">
            {wrong.length === 0 ? `${set.files.length} files, nothing wrong with them.` : told(wrong, also, left)}
          </p>
          <div className="mt-3 flex items-center gap-3">
            <Button look="main" className="h-8 px-4" onClick={() => void open()}>
              <Hammer size={14} />{" "}
              {!wrong.length
                ? "Open as a material"
                : wrong.some((finding) => finding.weak && !also.includes(finding.id))
                  ? "Repair what is sure, and open"
                  : "Repair all and open"}
            </Button>
            {wrong.length > 0 && (
              <span className="text-[12px] text-soft">
                Undo there shows it as it was found; the files themselves stay as they are.
              </span>
            )}
          </div>
          {set.findings.map((finding, i) => (
            <OneFinding key={i} finding={finding} {...deciding} />
          ))}
          {left && left.length > 0 && (
            <div aria-label="What remains" className="mt-3">
              <h3 className="text-[12px] text-soft">Found again once it is repaired</h3>
              {left.map((finding, i) => (
                <p key={i} className="flex items-baseline gap-2 py-0.5">
                  <Level level={finding.level} /> {finding.what} <span className="text-soft">{finding.why}</span>
                </p>
              ))}
            </div>
          )}
        </div>
        {wrong.length > 0 && <BeforeAfter set={set} number={number} />}
      </div>
      <ul className="divide-y divide-line">
        {set.files.map((file) => (
          <OneFile key={file.file} file={file} {...deciding} />
        ))}
      </ul>
    </section>
  );
}

interface Deciding {
  number: number;
  also: string[];
  decide: (id: string, on: boolean) => void;
}

/** A repair on weak evidence: both ways side by side in one light, and a switch of its own. */
function Doubtful({ finding, number, also, decide }: Deciding & { finding: AuditFinding }) {
  const [url, setUrl] = useState("");
  const [shown, setShown] = useState(false);
  useEffect(() => {
    if (!shown) return;
    const control = new AbortController();
    let made = "";
    litPicture(number, control.signal, [finding.id])
      .then((next) => setUrl((made = next)))
      .catch(() => {});
    return () => {
      control.abort();
      if (made) URL.revokeObjectURL(made);
    };
  }, [shown, number, finding.id]);
  return (
    <span className="block py-1">
      <span className="flex items-center gap-3">
        <Switch
          label={`Repair: ${finding.what}`}
          checked={also.includes(finding.id)}
          onChange={(on) => decide(finding.id, on)}
        />
        <span className="text-[12px]">Not sure: repaired only if you say so. {finding.repair}</span>
        <Button look="quiet" className="h-6 px-1.5 text-[12px]" onClick={() => setShown(!shown)}>
          {shown ? "Hide" : "Light it both ways"}
        </Button>
      </span>
      {shown && (
        <span className="mt-1 block w-[360px]">
          {url ? (
            <img src={url} alt="In one light, without and with this repair" className="w-full rounded-card" />
          ) : (
            <span className="text-[12px] text-soft">Lighting it both ways …</span>
          )}
          <span className="flex justify-around text-[12px] text-soft">
            <span>Without</span>
            <span>With</span>
          </span>
        </span>
      )}
    </span>
  );
}

/** The set under one light, as found and repaired. */
function BeforeAfter({ set, number }: { set: AuditedSet; number: number }) {
  const [url, setUrl] = useState("");
  useEffect(() => {
    const control = new AbortController();
    let made = "";
    litPicture(number, control.signal)
      .then((next) => {
        made = next;
        setUrl(next);
      })
      .catch(() => {});
    return () => {
      control.abort();
      if (made) URL.revokeObjectURL(made);
    };
  }, [set, number]);
  return (
    <figure className="w-[440px] shrink-0">
      <div className="aspect-[2/1] overflow-hidden rounded-card bg-surround">
        {url ? (
          <img src={url} alt={`${set.name} in one light, as found and repaired`} className="size-full object-cover" />
        ) : (
          <p className="grid h-full place-items-center text-[12px] text-black/70">Lighting it both ways …</p>
        )}
      </div>
      <figcaption className="flex justify-around pt-1 text-[12px] text-soft">
        <span>As found</span>
        <span>Repaired</span>
      </figcaption>
    </figure>
  );
}

const CHANNEL: Record<string, string> = { r: "Red", g: "Green", b: "Blue", a: "Alpha" };
const roleName = (role: string) => (role === "packed" ? "Packed" : (roleOf(role)?.short ?? "Not known"));

function OneFile({ file, ...deciding }: Deciding & { file: AuditedFile }) {
  const facts = [
    `${file.size[0]} × ${file.size[1]} px`,
    file.floating ? "float" : `${file.bits} bit`,
    file.format.toUpperCase(),
    file.encoding === "srgb" ? "sRGB" : "linear",
  ];
  return (
    <li className="flex gap-4 py-3">
      <div className="size-16 shrink-0 overflow-hidden rounded-card bg-surround">
        <img src={`/api/audit/picture/${file.blob}.jpg`} alt="" loading="lazy" className="size-full object-cover" />
      </div>
      <div className="w-64 shrink-0">
        <p className="font-medium">{roleName(file.role)}</p>
        <p translate="no" className="truncate text-soft" title={file.file}>
          {file.file}
        </p>
        <p className="figures text-soft">{facts.join(" · ")}</p>
        {Object.keys(file.channels).length > 0 && (
          <p className="text-[12px] text-soft">
            {Object.entries(file.channels)
              .map(([channel, role]) => `${CHANNEL[channel]}: ${roleName(role).toLowerCase()}`)
              .join(", ")}
          </p>
        )}
      </div>
      <div className="flex-1">
        {file.findings
          .filter((finding) => finding.level !== "pass")
          .map((finding, i) => (
            <OneFinding key={i} finding={finding} {...deciding} />
          ))}
        {file.findings.every((finding) => finding.level === "pass") && (
          <p className="flex items-baseline gap-2">
            <Level level="pass" word={false} /> <span>{file.findings[0]?.what ?? "Nothing is wrong with it."}</span>
          </p>
        )}
      </div>
    </li>
  );
}

function OneFinding({ finding, ...deciding }: Deciding & { finding: AuditFinding }) {
  return (
    <div className="flex items-baseline gap-2 py-0.5">
      <span className="w-[92px] shrink-0">
        <Level level={finding.level} />
      </span>
      <p className="flex-1">
        {finding.what}{" "}
        <span className="text-soft">
          {finding.why}
          {finding.sure < 0.995 ? ` Sure: ${Math.round(finding.sure * 100)} %.` : ""}
        </span>
        {finding.weak && <Doubtful finding={finding} {...deciding} />}
        {finding.repair && !finding.weak && (
          <span className="block text-[12px]">
            <Hammer size={11} className="mr-1 inline text-amber" aria-label="Repair:" />
            {finding.repair}
          </span>
        )}
      </p>
    </div>
  );
}

/** All files of a drop, those of folders too, with the folders they lie in. */
async function filesIn(drop: DataTransfer): Promise<Brought[]> {
  const entries = [...drop.items].map((item) => item.webkitGetAsEntry?.()).filter((entry) => entry != null);
  if (!entries.length) return [...drop.files].map((file) => ({ file, name: file.name }));
  const found: Brought[] = [];
  const walk = async (entry: FileSystemEntry): Promise<void> => {
    if (entry.isFile) {
      const file = await new Promise<File | null>((resolve) =>
        (entry as FileSystemFileEntry).file(resolve, () => resolve(null)),
      );
      if (file) found.push({ file, name: entry.fullPath.replace(/^\//, "") });
      return;
    }
    const reader = (entry as FileSystemDirectoryEntry).createReader();
    for (;;) {
      const some = await new Promise<FileSystemEntry[]>((resolve) => reader.readEntries(resolve, () => resolve([])));
      if (!some.length) return;
      for (const one of some) await walk(one);
    }
  };
  for (const entry of entries) await walk(entry);
  return found;
}
