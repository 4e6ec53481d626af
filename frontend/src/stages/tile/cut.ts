/** Cut-outs: what is set when a material becomes one, and picking its ground. */
import { create } from "zustand";
import { api } from "../../api/client";
import { type Changes, change, useEditor, valueOf } from "../../editor/store";
import { tellProblem } from "../../ui/notices";
import { setView } from "../../views/state";
import { hex } from "../response/zones";
import { registerTool } from "../tools";

export const useCut = create<{ picking: boolean }>(() => ({ picking: false }));
registerTool("ground", useCut, ({ picking }) => picking, { picking: false });

/** What goes with a cut-out: nothing repeats, no light is evened across card and thing. */
const WITH: Changes = { "tile.join.method": "none", "even.light.amount": 0, "pack.files.profile": "cut_out" };

export function setCutOut(on: boolean) {
  change(
    {
      "tile.cutout.on": on,
      ...(on ? WITH : Object.fromEntries(Object.keys(WITH).map((path) => [path, null]))),
    } as Changes,
    on ? "A cut-out" : "No cut-out",
  );
  setView("second", { what: on ? "opacity" : "base_color", how: on ? "single" : "repeated" });
  if (on) setView("first", { what: "base_color", how: "single" });
}

export const groundNow = () => valueOf(useEditor.getState(), "tile.cutout.ground");

export function putGround(colours: string[], label: string) {
  change({ "tile.cutout.ground": colours }, label);
}

/** Takes the ground's colour at a place of the tile. */
export async function pickGround(material: string, [x, y]: [number, number]) {
  try {
    const colour = hex((await api.probe(material, x, y)).ground_color);
    putGround([...groundNow(), colour].slice(-12), "Ground picked");
  } catch (error) {
    tellProblem(error);
  }
}
