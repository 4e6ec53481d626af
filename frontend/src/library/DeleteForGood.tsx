/** One clear question before a material is deleted for good: what goes, and how much room comes back. */
import { useQuery } from "@tanstack/react-query";
import { Trash2 } from "lucide-react";
import { useState } from "react";
import { api } from "../api/client";
import { Button } from "../ui/Button";
import { sizeText } from "../ui/bytes";
import { Dialog } from "../ui/Dialog";
import { tell, tellProblem } from "../ui/notices";

interface Props {
  material: { id: string; name: string };
  onClose: () => void;
  onDeleted: () => void;
}

export function DeleteForGood({ material, onClose, onDeleted }: Props) {
  const { data } = useQuery({
    queryKey: ["deletion", material.id],
    queryFn: () => api.deletion(material.id),
    gcTime: 0,
  });
  const run = async () => {
    try {
      const { bytes } = await api.deleteForGood(material.id);
      tell(`${material.name} was deleted`, `${sizeText(bytes)} came back.`);
      onDeleted();
    } catch (error) {
      tellProblem(error, "Nothing was deleted");
    }
    onClose();
  };
  return (
    <Dialog title={`Delete ${material.name} for good?`} open onClose={onClose}>
      <p>
        Its captures, its recipe with all its history and snapshots, and the packs made of it go. This cannot be undone.{" "}
        <b className="figures">{data ? `${sizeText(data.bytes)} come back.` : "…"}</b>
      </p>
      {data && data.laid_over.length > 0 && (
        <p className="mt-2">
          <b>!</b> It lies over {data.laid_over.join(", ")}; there it will be missing.
        </p>
      )}
      <div className="mt-4 flex justify-end gap-2">
        <Button onClick={onClose} autoFocus>
          Keep it
        </Button>
        <Button look="main" disabled={!data} onClick={() => void run()}>
          <Trash2 size={14} /> Delete for good
        </Button>
      </div>
    </Dialog>
  );
}

/** The same question for many; each goes by itself, so that what cannot be deleted stays and says why. */
export function DeleteMany({
  materials,
  onClose,
  onDeleted,
}: {
  materials: readonly string[];
  onClose: () => void;
  onDeleted: () => void;
}) {
  const [at, setAt] = useState<number | null>(null);
  const run = async () => {
    let [freed, gone] = [0, 0];
    for (const [number, id] of materials.entries()) {
      setAt(number);
      try {
        freed += (await api.deleteForGood(id)).bytes;
        gone += 1;
      } catch (error) {
        tellProblem(error, "One was not deleted");
      }
    }
    tell(`${gone} materials were deleted`, `${sizeText(freed)} came back.`);
    onDeleted();
    onClose();
  };
  return (
    <Dialog title={`Delete ${materials.length} materials for good?`} open onClose={onClose}>
      <p>
        Their captures, their recipes with all their history and snapshots, and the packs made of them go. This cannot
        be undone.
      </p>
      <div className="mt-4 flex items-center justify-end gap-2">
        {at !== null && (
          <span role="status" className="figures flex-1 text-soft">
            {at + 1} of {materials.length}
          </span>
        )}
        <Button onClick={onClose} autoFocus disabled={at !== null}>
          Keep them
        </Button>
        <Button look="main" disabled={at !== null} onClick={() => void run()}>
          <Trash2 size={14} /> Delete for good
        </Button>
      </div>
    </Dialog>
  );
}
