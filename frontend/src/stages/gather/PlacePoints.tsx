/** Marking the same places in two photographs by hand, where the program finds nothing in common. */
import { useState } from "react";
import type { Material } from "../../api/types";
import { Button } from "../../ui/Button";
import { Dialog } from "../../ui/Dialog";
import { type Pair, place, usePlacing, type Way } from "./placing";

export function PlacePoints({ material }: { material: Material }) {
  const file = usePlacing((state) => state.marking);
  const [marks, setMarks] = useState<[number, number][]>([]);
  const close = () => {
    setMarks([]);
    usePlacing.setState({ marking: null });
  };
  if (!file) return null;
  const photograph = { key: "photograph", file: material.source.file };
  const pairs = Array.from({ length: Math.floor(marks.length / 2) }, (_, i): Pair => [
    ...marks[2 * i]!,
    ...marks[2 * i + 1]!,
  ]);
  const turn = marks.length % 2;
  const use = (way: Way) => void place(file.key, way, pairs).then(close);
  return (
    <Dialog
      title="Mark the same places in both"
      about="Press a place in the left picture, then the same place in the right one. Four pairs far from each other, not on one line."
      open
      onClose={close}
      wide
    >
      <div className="grid grid-cols-2 gap-3">
        {[photograph, file].map((one, index) => (
          <Side
            key={one.key}
            src={`/api/materials/${material.id}/files/${one.key}.jpg`}
            label={one.file}
            active={turn === index}
            marks={marks.filter((_, i) => i % 2 === index)}
            onMark={(at) => turn === index && setMarks([...marks, at])}
          />
        ))}
      </div>
      <div className="mt-3 flex items-center gap-2">
        <span className="flex-1 text-soft">{pairs.length} of at least 4 pairs</span>
        <Button disabled={!marks.length} onClick={() => setMarks(marks.slice(0, -1))}>
          Take the last back
        </Button>
        <Button disabled={pairs.length < 4} onClick={() => use("join")}>
          Join
        </Button>
        <Button look="main" disabled={pairs.length < 4} onClick={() => use("lay")}>
          Lay on the photograph
        </Button>
      </div>
    </Dialog>
  );
}

function Side({
  src,
  label,
  active,
  marks,
  onMark,
}: {
  src: string;
  label: string;
  active: boolean;
  marks: [number, number][];
  onMark: (at: [number, number]) => void;
}) {
  return (
    <figure>
      <figcaption className="truncate pb-1 text-soft">{label}</figcaption>
      <div
        className={`relative border-2 ${active ? "cursor-crosshair border-amber" : "border-line"}`}
        onClick={(event) => {
          const box = event.currentTarget.getBoundingClientRect();
          onMark([(event.clientX - box.left - 2) / (box.width - 4), (event.clientY - box.top - 2) / (box.height - 4)]);
        }}
      >
        <img src={src} alt={label} className="block w-full" draggable={false} />
        {marks.map(([x, y], index) => (
          <span
            key={index}
            className="figures pointer-events-none absolute grid size-5 -translate-x-1/2 -translate-y-1/2 place-items-center rounded-full border border-black bg-amber text-on-amber"
            style={{ left: `${x * 100}%`, top: `${y * 100}%` }}
          >
            {index + 1}
          </span>
        ))}
      </div>
    </figure>
  );
}
