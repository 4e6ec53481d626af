/** Whether a file lies right on the photograph: what was measured, and both in one picture. */
import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { api } from "../../api/client";
import type { MaterialFile } from "../../api/types";
import { useEditor } from "../../editor/store";
import { Dialog } from "../../ui/Dialog";
import { Level } from "../../ui/Level";

export function Laid({ file }: { file: MaterialFile }) {
  const material = useEditor((state) => state.material);
  const [open, setOpen] = useState(false);
  const id = material?.id ?? "";
  // A place changes with what is placed, and with what it is placed on.
  const place = JSON.stringify([
    material?.source.key,
    material?.recipe.operations["gather.registration"] ?? {},
    material?.recipe.operations["gather.maps"] ?? {},
  ]);
  const fit = useQuery({
    queryKey: ["fit", id, file.key, place],
    queryFn: () => api.fit(id, file.key),
    enabled: Boolean(id),
  });
  if (!fit.data) return null;
  const picture = `/api/materials/${id}/files/${file.key}/laid.jpg?at=${material?.revision ?? 0}`;
  return (
    <div className="mt-1 flex items-start gap-2" data-fit={fit.data.level}>
      <button
        type="button"
        title="Both in one picture"
        aria-label={`${file.file} on the photograph`}
        className="shrink-0 overflow-hidden rounded-[5px] border border-line hover:border-amber"
        onClick={() => setOpen(true)}
      >
        <img src={picture} alt="" className="block h-14 max-w-20 object-cover" />
      </button>
      <p className="grid grid-cols-[16px_1fr] gap-x-1.5 text-[12px]">
        <Level level={fit.data.level} word={false} /> {fit.data.told}
      </p>
      {open && (
        <Dialog
          title={`${file.file} on the photograph`}
          about="The photograph in orange, the file in blue; grey where they agree. An orange or blue rim is what lies aside."
          open
          onClose={() => setOpen(false)}
          wide
        >
          <img src={picture} alt={`${file.file} laid on the photograph`} className="mx-auto block max-h-[60vh]" />
          <p className="pt-2">{fit.data.told}</p>
        </Dialog>
      )}
    </div>
  );
}
