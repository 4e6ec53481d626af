/** Fit by eye: four readings of the height, lit, beside the photograph; the one that looks right is taken. */
import { Eye, Undo2 } from "lucide-react";
import { type PointerEvent, useEffect, useRef, useState } from "react";
import { api } from "../../api/client";
import type { Changes, EyeQuestion, Material } from "../../api/types";
import { change } from "../../editor/store";
import { arrowStep } from "../../ui/arrows";
import { Button } from "../../ui/Button";
import { Dialog } from "../../ui/Dialog";
import { tellProblem } from "../../ui/notices";
import { ProgressLine } from "../../ui/ProgressLine";

const ROUNDS = [
  { id: "cue", title: "Which of them is the real thing?", about: "Turn the lamp: look which bumps are bumps." },
  { id: "size", title: "How broad?", about: "Choose what stands out as it does there: grain, pieces, or the ground." },
  { id: "steepness", title: "How steep?", about: "Choose how strongly light and shade should fall." },
] as const;

/** Where the lamp stands: right and up, 0 overhead, 1 at the rim. */
type Lamp = [number, number];
const START: Lamp = [-0.5, 0.5];

export function ByEye({ material }: { material: Material }) {
  const [open, setOpen] = useState(false);
  return (
    <>
      <Button
        className="mb-1 h-6.5 w-full text-[12px]"
        title="Four readings of the height beside the photograph: choose the one that looks like it"
        onClick={() => setOpen(true)}
      >
        <Eye size={13} /> Fit by eye
      </Button>
      {open && <Rounds id={material.id} onClose={() => setOpen(false)} />}
    </>
  );
}

function Rounds({ id, onClose }: { id: string; onClose: () => void }) {
  const [answers, setAnswers] = useState<Changes[]>([]);
  const [refused, setRefused] = useState<string[]>([]);
  const [question, setQuestion] = useState<EyeQuestion | null>(null);
  const [lamp, setLamp] = useState<Lamp>(START);
  const [plain, setPlain] = useState(false);
  const round = ROUNDS[answers.length]!;
  const chosen = Object.assign({}, ...answers) as Changes;
  const key = JSON.stringify([answers, refused]);
  useEffect(() => {
    let gone = false;
    setQuestion(null);
    api
      .byEye(id, round.id, chosen, refused)
      .then((next) => !gone && setQuestion(next))
      .catch((error) => !gone && (tellProblem(error), onClose()));
    return () => {
      gone = true;
    };
    // Asked anew with every answer, and for nothing else.
    // eslint-disable-next-line react-hooks/exhaustive-deps
  }, [key]);

  const answer = (changes: Changes) => {
    const next = [...answers, changes];
    if (next.length < ROUNDS.length) {
      setRefused([]);
      setAnswers(next);
      return;
    }
    change(Object.assign({}, ...next) as Changes, "Fitted by eye");
    onClose();
  };
  const back = () => {
    if (refused.length) setRefused([]);
    else setAnswers(answers.slice(0, -1));
  };
  return (
    <Dialog title={`${answers.length + 1} of 3 · ${round.title}`} about={round.about} open wide onClose={onClose}>
      <div className="relative grid grid-cols-[300px_minmax(0,1fr)] gap-5">
        <ProgressLine busy={!question} />
        <figure className="flex flex-col gap-2">
          {question ? (
            <img src={question.photograph} alt="The photograph" className="block w-full rounded-card" />
          ) : (
            <div className="aspect-square w-full rounded-card bg-raised" />
          )}
          <figcaption className="text-[12px] text-soft">
            The photograph, in the light it was taken in. Drag over a reading, or use the arrow keys on it, to move the
            lamp.
          </figcaption>
          <label className="flex items-center gap-2 text-[12px]">
            <input type="checkbox" checked={plain} onChange={(event) => setPlain(event.target.checked)} /> Without
            colour
          </label>
        </figure>
        <ul className="grid grid-cols-2 gap-3" aria-label="Readings">
          {question
            ? question.options.map((option) => (
                <li key={option.id}>
                  <Lit
                    label={option.label}
                    normal={option.normal}
                    color={plain ? "" : question.color}
                    lamp={lamp}
                    onLamp={setLamp}
                    onChoose={() => answer(option.changes as Changes)}
                  />
                </li>
              ))
            : [0, 1, 2, 3].map((n) => <li key={n} className="aspect-[3/2] rounded-card bg-raised" />)}
        </ul>
      </div>
      <div className="mt-4 flex items-center gap-2">
        <Button disabled={!answers.length && !refused.length} onClick={back}>
          <Undo2 size={13} /> Back
        </Button>
        <span className="flex-1 text-[12px] text-soft" role="status">
          {question ? "Nothing is changed before the last answer; undo takes all of it back." : "Reading the height …"}
        </span>
        {question && question.more > 0 && (
          <Button onClick={() => setRefused([...refused, ...question.options.map(({ id }) => id)])}>
            None of these: show others
          </Button>
        )}
      </div>
    </Dialog>
  );
}

interface LitProps {
  label: string;
  normal: string;
  color: string;
  lamp: Lamp;
  onLamp: (lamp: Lamp) => void;
  onChoose: () => void;
}

/** One reading under the lamp. A click chooses it, dragging moves the lamp. */
function Lit({ label, normal, color, lamp, onLamp, onChoose }: LitProps) {
  const canvas = useRef<HTMLCanvasElement>(null);
  const from = useRef<[number, number] | null>(null);
  const dragged = useRef(false);
  const [planes, setPlanes] = useState<{ normal: ImageData; color: ImageData | null } | null>(null);
  useEffect(() => {
    let gone = false;
    void Promise.all([pixels(normal), color ? pixels(color) : null]).then(
      ([one, other]) => !gone && setPlanes({ normal: one, color: other }),
    );
    return () => {
      gone = true;
    };
  }, [normal, color]);
  useEffect(() => {
    if (canvas.current && planes) paint(canvas.current, planes.normal, planes.color, lamp);
  }, [planes, lamp]);
  const move = (event: PointerEvent) => {
    if (!from.current) return;
    const { left, top, width, height } = canvas.current!.getBoundingClientRect();
    if (Math.hypot(event.clientX - from.current[0], event.clientY - from.current[1]) > 4) dragged.current = true;
    if (dragged.current) onLamp([((event.clientX - left) / width) * 2 - 1, 1 - ((event.clientY - top) / height) * 2]);
  };
  return (
    <button
      type="button"
      className="group block w-full touch-none overflow-hidden rounded-card border border-line bg-raised text-left hover:border-amber focus-visible:border-amber"
      onClick={() => {
        if (!dragged.current) onChoose();
        dragged.current = false;
      }}
      onPointerDown={(event) => {
        from.current = [event.clientX, event.clientY];
        dragged.current = false;
        event.currentTarget.setPointerCapture(event.pointerId);
      }}
      onPointerMove={move}
      onPointerUp={() => {
        from.current = null;
      }}
      onKeyDown={(event) => {
        const by = arrowStep(event, 0.2, 0.05);
        if (by) onLamp([held(lamp[0] + by[0]), held(lamp[1] - by[1])]);
      }}
    >
      <canvas ref={canvas} className="block aspect-[3/2] w-full object-cover" data-lit={planes ? "yes" : ""} />
      <span className="block px-2.5 py-1 text-[12px] text-soft group-hover:text-text">{label}</span>
    </button>
  );
}

const held = (value: number) => Math.min(1, Math.max(-1, value));

async function pixels(address: string): Promise<ImageData> {
  const image = new Image();
  image.src = address;
  await image.decode();
  const canvas = new OffscreenCanvas(image.naturalWidth, image.naturalHeight);
  const pen = canvas.getContext("2d")!;
  pen.drawImage(image, 0, 0);
  return pen.getImageData(0, 0, canvas.width, canvas.height);
}

const AMBIENT = 0.22;

/** Lambert's law for one lamp and an even sky; colours are coded as sRGB, nearly a power of 2.2. */
export function paint(to: HTMLCanvasElement, normal: ImageData, color: ImageData | null, [right, up]: Lamp) {
  const { width, height, data } = normal;
  to.width = width;
  to.height = height;
  const pen = to.getContext("2d")!;
  const out = pen.createImageData(width, height);
  const far = Math.min(1, Math.hypot(right, up));
  const rise = Math.max(0.12, Math.sqrt(1 - far * far));
  const length = Math.hypot(right, up, rise);
  const [lx, ly, lz] = [right / length, up / length, rise / length];
  const shades = new Float32Array(256);
  for (let n = 0; n < 256; n++) shades[n] = (n / 255) ** 2.2;
  for (let at = 0; at < data.length; at += 4) {
    const facing = (data[at]! / 127.5 - 1) * lx + (data[at + 1]! / 127.5 - 1) * ly + (data[at + 2]! / 127.5 - 1) * lz;
    const light = AMBIENT + (1.25 - AMBIENT) * Math.max(0, facing);
    for (let k = 0; k < 3; k++) {
      const base = color ? shades[color.data[at + k]!]! : 0.32;
      out.data[at + k] = 255 * Math.min(1, base * light) ** (1 / 2.2);
    }
    out.data[at + 3] = 255;
  }
  pen.putImageData(out, 0, 0);
}
