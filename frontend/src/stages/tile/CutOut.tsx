import { Brush, Pipette } from "lucide-react";
import type { Material } from "../../api/types";
import { useEditor, valueOf } from "../../editor/store";
import { Button } from "../../ui/Button";
import { Fold } from "../../ui/Fold";
import { Swatches } from "../../ui/Swatches";
import { Switch } from "../../ui/Switch";
import { BrushTools } from "../response/BrushTools";
import { draw, useDrawing } from "../response/drawing";
import { Setting } from "../Setting";
import { putGround, setCutOut, useCut } from "./cut";

const SETTINGS = ["tolerance", "soft", "edge", "holes", "specks"] as const;

/** Whether the material is cut out of its ground, and how. */
export function CutOut({ material }: { material: Material }) {
  const on = useEditor((state) => valueOf(state, "tile.cutout.on")) === true;
  const ground = useEditor((state) => valueOf(state, "tile.cutout.ground"));
  const picking = useCut((state) => state.picking);
  const task = useDrawing((state) => state.task);
  const brush = task?.on === "cut" ? task : null;
  return (
    <section aria-label="Cut-out" className="mb-1 border-b border-line pb-1">
      <label className="flex h-8 items-center justify-between">
        This is a cut-out
        <Switch label="This is a cut-out" checked={on} onChange={setCutOut} />
      </label>
      {on && (
        <>
          <p className="pb-1 text-[12px] text-soft">
            It is cut out of its ground and does not repeat. Its colour goes on beyond the edge, so that no fringe
            shows.
          </p>
          <div className="flex min-h-8 flex-wrap items-center gap-1.5">
            <span className="flex-1">Ground</span>
            <Swatches
              colours={ground}
              from="the ground"
              onDrop={(index) =>
                putGround(
                  ground.filter((_, i) => i !== index),
                  "Ground taken out",
                )
              }
            />
            {!ground.length && <span className="text-[12px] text-soft">from the border</span>}
            <Button
              look={picking ? "main" : "plain"}
              aria-pressed={picking}
              className="h-6.5 px-2 text-[12px]"
              onClick={() => useCut.setState({ picking: !picking })}
            >
              <Pipette size={13} /> Pick
            </Button>
          </div>
          {SETTINGS.map((name) => (
            <Setting key={name} path={`tile.cutout.${name}`} />
          ))}
          <Fold title="Mask brush" note={brush ? (brush.keep ? "keeping" : "leaving out") : ""}>
            <div className="flex gap-1.5 py-1">
              {[true, false].map((keep) => (
                <Button
                  key={String(keep)}
                  look={brush?.keep === keep ? "main" : "plain"}
                  aria-pressed={brush?.keep === keep}
                  className="h-6.5 flex-1 text-[12px]"
                  onClick={() => draw(brush?.keep === keep ? null : { on: "cut", keep })}
                >
                  <Brush size={13} /> {keep ? "Keep" : "Leave out"}
                </Button>
              ))}
            </div>
            {brush && <BrushTools material={material} task={brush} />}
          </Fold>
        </>
      )}
    </section>
  );
}
