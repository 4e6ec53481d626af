/** Tags and collections for many materials at once. */
import { useState } from "react";
import { api } from "../api/client";
import { Button } from "../ui/Button";
import { Dialog } from "../ui/Dialog";
import { tell, tellProblem } from "../ui/notices";
import { LabelField } from "./NotesDialog";
import { useFacets } from "./useFacets";

interface Props {
  materials: readonly string[];
  onClose: () => void;
  onChanged: () => void;
}

const FIELDS = [
  { kind: "tag", way: "add", label: "Give tags" },
  { kind: "tag", way: "drop", label: "Take tags away" },
  { kind: "collection", way: "add", label: "Put into collections" },
  { kind: "collection", way: "drop", label: "Take out of collections" },
] as const;

export function LabelMany({ materials, onClose, onChanged }: Props) {
  const [names, setNames] = useState<string[][]>(FIELDS.map(() => []));
  const facets = useFacets();
  const keep = async () => {
    try {
      for (const kind of ["tag", "collection"] as const) {
        const of = (way: "add" | "drop") => names[FIELDS.findIndex((one) => one.kind === kind && one.way === way)]!;
        if (of("add").length || of("drop").length)
          await api.label({ materials: [...materials], kind, add: of("add"), drop: of("drop") });
      }
      tell(`Tags of ${materials.length} ${materials.length === 1 ? "material" : "materials"} were changed`);
      onChanged();
      onClose();
    } catch (error) {
      tellProblem(error, "Not kept");
    }
  };
  return (
    <Dialog
      title={`Tags of ${materials.length} ${materials.length === 1 ? "material" : "materials"}`}
      open
      onClose={onClose}
    >
      <div className="flex flex-col gap-4">
        {FIELDS.map(({ kind, label }, number) => (
          <LabelField
            key={label}
            label={label}
            names={names[number]!}
            known={Object.keys((kind === "tag" ? facets?.tags : facets?.collections) ?? {})}
            onChange={(next) => setNames(names.map((old, at) => (at === number ? next : old)))}
          />
        ))}
        <div className="flex justify-end gap-2">
          <Button onClick={onClose}>Leave as it was</Button>
          <Button look="main" disabled={names.every((one) => !one.length)} onClick={() => void keep()}>
            Keep
          </Button>
        </div>
      </div>
    </Dialog>
  );
}
