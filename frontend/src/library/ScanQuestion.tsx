/** How a scan is taken: seen straight on, with the rectangle that becomes the material, before anything is made. */
import { type ReactNode, useCallback, useEffect, useRef, useState } from "react";
import { create } from "zustand";
import { api, Problem } from "../api/client";
import type { AskedScan, Brief, KeptFile, ScanLook } from "../api/types";
import { useAnnounced } from "../app/events";
import { arrowStep } from "../ui/arrows";
import { Button } from "../ui/Button";
import { Choice } from "../ui/Choice";
import { Dialog } from "../ui/Dialog";
import { NumberField } from "../ui/NumberField";
import { tell, tellProblem } from "../ui/notices";
import { ProgressLine } from "../ui/ProgressLine";
import { Switch } from "../ui/Switch";
import { localeTag } from "../words/language";

type Patch = [number, number, number, number];
type Place = [number, number];

interface Asked {
  file: KeptFile;
  beside: KeptFile[];
  settle: (made: Brief | null) => void;
}

const useAsked = create<{ asked: Asked | null }>(() => ({ asked: null }));

/** Shows a scan and how it would be taken; null when the person closes the question, and nothing is made then. */
export function askScan(file: KeptFile, beside: KeptFile[]) {
  return new Promise<Brief | null>((settle) => useAsked.setState({ asked: { file, beside, settle } }));
}

export function ScanQuestion() {
  const asked = useAsked((state) => state.asked);
  return asked ? <Question key={asked.file.blob} asked={asked} /> : null;
}

const PARTS: Record<string, string> = { mesh: "triangles", cloud: "points", depth: "px" };
const shown = (value: number) => Number(value.toPrecision(4)).toLocaleString(localeTag());

function Question({ asked: { file, beside, settle } }: { asked: Asked }) {
  const [how, setHow] = useState<Partial<AskedScan>>({});
  const [look, setLook] = useState<ScanLook | null>(null);
  const [problem, setProblem] = useState("");
  const [patch, setPatch] = useState<Patch | null>(null);
  const [pointing, setPointing] = useState<Place[] | null>(null);
  const [making, setMaking] = useState<{ share: number; what: string } | null>(null);
  const slot = useRef(crypto.randomUUID());
  useAnnounced(
    "scan",
    useCallback(
      (told: { slot: string; share: number; what: string }) =>
        told.slot === slot.current && setMaking((now) => now && told),
      [],
    ),
  );

  const asked = (more: Partial<AskedScan> = {}): AskedScan => ({
    blob: file.blob,
    file: file.file,
    beside: beside.map(({ blob, file }) => ({ blob, file })),
    ...how,
    ...more,
  });
  const key = JSON.stringify(how);
  useEffect(() => {
    let gone = false;
    api
      .lookAtScan(asked())
      .then((next) => !gone && (setLook(next), setProblem("")))
      .catch((error) => {
        if (!gone) setProblem(error instanceof Problem ? `${error.message} ${error.detail}` : "It could not be read.");
      });
    return () => {
      gone = true;
    };
    // Asked anew when what is asked changes, and for nothing else.
    // eslint-disable-next-line react-hooks/exhaustive-deps
  }, [key]);

  const close = (made: Brief | null) => {
    useAsked.setState({ asked: null });
    if (making) void api.stopScan(slot.current).catch(() => null);
    settle(made);
  };
  const make = async () => {
    setMaking({ share: 0, what: "Beginning" });
    try {
      const { material, told } = await api.takeScan(asked({ patch: patch ?? [], slot: slot.current }));
      for (const { level, text } of told) if (level !== "pass") tell(material.name, text);
      useAsked.setState({ asked: null });
      settle(material);
    } catch (error) {
      setMaking(null);
      tellProblem(error, "Nothing was made of it");
    }
  };
  const point = (place: Place) => {
    if (!pointing) return;
    const next = [...pointing, place];
    if (next.length < 3) return setPointing(next);
    setPointing(null);
    setPatch(null);
    setHow({ ...how, three: next });
  };
  const depth = look?.kind === "depth";
  const unit = how.unit || look?.unit || "";
  const area = patch ?? look?.patch ?? [0, 0, 1, 1];
  const px = look ? Math.round((how.width || look.width * (area[2] - area[0])) as number) : 0;
  return (
    <Dialog
      title={`How is ${file.file} taken?`}
      about="Seen straight on. What lies in the rectangle becomes the material; nothing is made until you say so."
      open
      wide
      onClose={() => close(null)}
    >
      {problem && (
        <p role="alert" className="rounded-card border border-line bg-raised px-3 py-2">
          <b aria-hidden>!</b> {problem}
        </p>
      )}
      <div className="grid grid-cols-[minmax(0,1fr)_300px] gap-5">
        <div className="relative min-h-64">
          <ProgressLine busy={(!look && !problem) || Boolean(making)} share={making?.share} />
          {look && <Seen look={look} patch={area as Patch} onPatch={setPatch} points={pointing} onPoint={point} />}
        </div>
        <div className="flex flex-col gap-3">
          {look && (
            <dl className="figures grid grid-cols-[auto_1fr] gap-x-3 gap-y-0.5">
              <dt className="text-soft">Holds</dt>
              <dd>
                {look.parts.toLocaleString(localeTag())} {PARTS[look.kind]}
              </dd>
              {look.size[0] > 0 && (
                <>
                  <dt className="text-soft">Is</dt>
                  <dd>
                    {shown(look.size[0])} × {shown(look.size[1])} {unit}
                  </dd>
                </>
              )}
              <dt className="text-soft">Deep</dt>
              <dd>
                {shown(look.depth)} {unit}
              </dd>
              <dt className="text-soft">Becomes</dt>
              <dd>{px} px wide</dd>
            </dl>
          )}
          <Row label={depth ? "Its numbers are" : "Its unit is"}>
            <Choice
              label="Unit"
              value={how.unit || "file"}
              options={[
                { value: "file", label: look?.unit || "Unknown", hint: "What the file says" },
                { value: "mm", label: "mm" },
                { value: "cm", label: "cm" },
                { value: "m", label: "m" },
              ]}
              onChange={(next) => setHow({ ...how, unit: next === "file" ? "" : (next as "mm" | "cm" | "m") })}
            />
          </Row>
          {depth && (
            <Row label="Real width, mm">
              <NumberField
                label="Real width"
                value={how.width_mm ?? 0}
                text={how.width_mm ? String(how.width_mm) : "unknown"}
                min={0}
                max={1e8}
                onChange={(next) => setHow({ ...how, width_mm: next })}
                className="w-24 border-line"
              />
            </Row>
          )}
          <Row label={depth ? "Bright is far" : "Turn it over"}>
            <Switch
              label={depth ? "Bright is far" : "Turn it over"}
              checked={how.turned_over ?? false}
              onChange={(next) => {
                setPatch(null);
                setHow({ ...how, turned_over: next, three: [] });
              }}
            />
          </Row>
          <Row label="Width of the maps, px">
            <NumberField
              label="Width of the maps"
              value={how.width ?? 0}
              text={how.width ? String(how.width) : String(px)}
              min={64}
              max={8192}
              onChange={(next) => setHow({ ...how, width: Math.round(next) })}
              className="w-24 border-line"
            />
          </Row>
          {look && !depth && (
            <div className="flex flex-wrap gap-1.5">
              <Button look={pointing ? "main" : "plain"} onClick={() => setPointing(pointing ? null : [])}>
                {pointing ? `Click ${3 - pointing.length} more` : "Level by three places"}
              </Button>
              {(how.three?.length ?? 0) > 0 && (
                <Button
                  onClick={() => {
                    setPatch(null);
                    setHow({ ...how, three: [] });
                  }}
                >
                  Level as found
                </Button>
              )}
            </div>
          )}
          <ul className="flex flex-col gap-1.5 text-[12px]">
            {look?.notes.map((note) => (
              <li key={note}>{note}</li>
            ))}
          </ul>
          <div className="mt-auto flex items-center justify-end gap-2">
            {making && (
              <span role="status" className="figures flex-1 text-soft">
                {making.what}, {Math.round(making.share * 100)} %
              </span>
            )}
            <Button onClick={() => close(null)}>{making ? "Stop" : "Leave it"}</Button>
            <Button look="main" disabled={!look || Boolean(making)} onClick={() => void make()}>
              Make the material
            </Button>
          </div>
        </div>
      </div>
    </Dialog>
  );
}

function Row({ label, children }: { label: string; children: ReactNode }) {
  return (
    <div className="flex items-center justify-between gap-3">
      <span>{label}</span>
      {children}
    </div>
  );
}

const CORNERS = [
  { name: "upper left", x: 0, y: 1 },
  { name: "upper right", x: 2, y: 1 },
  { name: "lower left", x: 0, y: 3 },
  { name: "lower right", x: 2, y: 3 },
] as const;
const LEAST = 0.03;
const held = (value: number, low: number, high: number) => Math.min(high, Math.max(low, value));

function Seen({
  look,
  patch,
  onPatch,
  points,
  onPoint,
}: {
  look: ScanLook;
  patch: Patch;
  onPatch: (patch: Patch) => void;
  points: Place[] | null;
  onPoint: (place: Place) => void;
}) {
  const box = useRef<HTMLDivElement>(null);
  const [ratio, setRatio] = useState(1);
  const place = (event: { clientX: number; clientY: number }): Place => {
    const { left, top, width, height } = box.current!.getBoundingClientRect();
    return [held((event.clientX - left) / width, 0, 1), held((event.clientY - top) / height, 0, 1)];
  };
  const put = (x: 0 | 2, y: 1 | 3, [px, py]: Place) => {
    const next = [...patch] as Patch;
    next[x] = x === 0 ? held(px, 0, patch[2] - LEAST) : held(px, patch[0] + LEAST, 1);
    next[y] = y === 1 ? held(py, 0, patch[3] - LEAST) : held(py, patch[1] + LEAST, 1);
    onPatch(next);
  };
  const per = (value: number) => `${value * 100}%`;
  return (
    <div
      ref={box}
      className={`relative mx-auto ${points ? "cursor-crosshair" : ""}`}
      style={{ width: `min(100%, calc(62vh * ${ratio}))` }}
      onPointerDown={(event) => points && onPoint(place(event))}
    >
      <div className="overflow-hidden rounded-card">
        <div className="relative">
          <img
            src={look.picture}
            alt="The scan, seen straight on"
            className="block w-full select-none"
            draggable={false}
            onLoad={({ currentTarget: { naturalWidth, naturalHeight } }) => setRatio(naturalWidth / naturalHeight)}
          />
          {!points && (
            <div
              aria-hidden
              className="pointer-events-none absolute border-2 border-amber shadow-[0_0_0_9999px_rgb(0_0_0/.45)]"
              style={{
                left: per(patch[0]),
                top: per(patch[1]),
                width: per(patch[2] - patch[0]),
                height: per(patch[3] - patch[1]),
              }}
            />
          )}
        </div>
      </div>
      {!points && (
        <>
          {CORNERS.map(({ name, x, y }) => (
            <button
              key={name}
              type="button"
              aria-label={`Corner of the rectangle, ${name}`}
              className="absolute size-4 -translate-x-1/2 -translate-y-1/2 rounded-full border-2 border-ground bg-amber"
              style={{ left: per(patch[x]), top: per(patch[y]) }}
              onPointerDown={(event) => event.currentTarget.setPointerCapture(event.pointerId)}
              onPointerMove={(event) => event.buttons && put(x, y, place(event))}
              onKeyDown={(event) => {
                const by = arrowStep(event, 0.02, 0.002);
                if (by) put(x, y, [patch[x] + by[0], patch[y] + by[1]]);
              }}
            />
          ))}
        </>
      )}
      {points?.map(([x, y]) => (
        <span
          key={`${x} ${y}`}
          aria-hidden
          className="pointer-events-none absolute size-3 -translate-x-1/2 -translate-y-1/2 rounded-full border-2 border-ground bg-amber"
          style={{ left: per(x), top: per(y) }}
        />
      ))}
    </div>
  );
}
