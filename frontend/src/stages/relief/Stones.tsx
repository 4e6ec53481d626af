/** What somebody says of a surface of pieces, by one click each; where the height is sure. */
import { useState } from "react";
import type { Material } from "../../api/types";
import { useFigures } from "../../editor/figures";
import { change, useEditor, valueOf } from "../../editor/store";
import { Button } from "../../ui/Button";
import { Dialog } from "../../ui/Dialog";
import { Setting } from "../Setting";

const STATEMENTS = [
  {
    label: "Stones level, joints deep",
    level: 100,
    sink: 100,
    help: "Whatever their colour: a stone's own tone no longer counts.",
  },
  {
    label: "Pale joints lie deep",
    level: 0,
    sink: 100,
    help: "Sinks the joints, which bright mortar raises to ridges.",
  },
];

export function Stones({ material }: { material: Material }) {
  const level = useEditor((state) => valueOf(state, "relief.stones.level")) as number;
  const sink = useEditor((state) => valueOf(state, "relief.stones.sink")) as number;
  const pieces = useFigures(material)?.evidence["formed.pieces"];
  const [sure, setSure] = useState(false);
  const said = level > 0 || sink > 0;
  return (
    <section aria-label="What you know of it" className="pb-1">
      <div className="flex flex-wrap gap-1">
        {STATEMENTS.map((one) => {
          const taken = level === one.level && sink === one.sink;
          return (
            <Button
              key={one.label}
              aria-pressed={taken}
              title={one.help}
              className="h-6.5 px-2 text-[12px]"
              onClick={() =>
                change(
                  { "relief.stones.level": taken ? 0 : one.level, "relief.stones.sink": taken ? 0 : one.sink },
                  one.label,
                )
              }
            >
              {one.label}
            </Button>
          );
        })}
        <Button className="h-6.5 px-2 text-[12px]" onClick={() => setSure(true)}>
          Where it is sure
        </Button>
      </div>
      {said && pieces === 0 && (
        <p role="status" className="pt-1 text-[12px]">
          <b aria-hidden>!</b> No pieces with joints between them stand out here, so this changes nothing.
        </p>
      )}
      {said && (
        <>
          <Setting path="relief.stones.level" />
          <Setting path="relief.stones.sink" />
        </>
      )}
      {sure && (
        <Dialog
          title="Where the height is sure"
          about="Bright: tone and shading agree, and there is relief to tell. Dark: they contradict each other, or hardly anything shows."
          open
          onClose={() => setSure(false)}
          wide
        >
          <img
            src={`/api/materials/${material.id}/sure.jpg?key=${material.keys.height}`}
            alt="Where the height is sure"
            className="mx-auto block max-h-[62vh] min-h-80 rounded-card"
          />
        </Dialog>
      )}
    </section>
  );
}
