/** The photographs a picture is merged of: how each was exposed, how it lay, and what is taken from it. */
import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { api } from "../../api/client";
import type { Material } from "../../api/types";
import { setRole } from "../../editor/store";
import { Button } from "../../ui/Button";
import { Dialog } from "../../ui/Dialog";
import { Setting } from "../Setting";

export function Merge({ material }: { material: Material }) {
  const [shown, setShown] = useState<{ number: number; what: "photograph" | "taken" } | null>(null);
  const found = useQuery({
    queryKey: [
      "merge",
      material.id,
      JSON.stringify(material.recipe.operations["gather.merge"] ?? {}),
      material.source.key,
    ],
    queryFn: () => api.merging(material.id),
    placeholderData: (old) => old,
  });
  const data = found.data;
  const url = (number: number, what: string) =>
    `/api/materials/${material.id}/merge/${number}/${what}.jpg?key=${data?.key ?? ""}`;
  return (
    <section aria-label="Merged photographs" className="border-t border-line pt-2">
      <h3 className="flex items-center justify-between font-medium">
        {data?.by === "focus" ? "Focus stack" : "Exposure bracket"}
        {data && (
          <Button
            look="quiet"
            className="h-6 px-1.5 text-[12px]"
            onClick={() => setShown({ number: 0, what: "taken" })}
          >
            What is taken from where
          </Button>
        )}
      </h3>
      {found.isPending && <p className="py-1 text-soft">Comparing the photographs …</p>}
      {data && (
        <>
          <ul className="flex flex-col gap-1 py-1">
            {data.frames.map((frame, number) => (
              <li key={frame.file} className="flex items-center gap-2 rounded-card bg-raised px-2 py-1">
                <button
                  type="button"
                  aria-label={`Show ${frame.name}`}
                  className="size-9 shrink-0 overflow-hidden rounded-[4px] border border-line hover:border-amber"
                  onClick={() => setShown({ number, what: "photograph" })}
                >
                  <img src={url(number, "photograph")} alt="" className="size-full object-cover" />
                </button>
                <span className="min-w-0 flex-1">
                  <span translate="no" className="block truncate" title={frame.name}>
                    {frame.name}
                  </span>
                  <span className="figures block text-soft">
                    {data.by === "exposure" &&
                      number > 0 &&
                      `${frame.stops > 0 ? "+" : ""}${frame.stops.toFixed(1)} stops · `}
                    {frame.shift >= 0.3 && `${frame.shift.toFixed(1)} px aside · `}
                    {frame.moved >= 0.001 && `${(frame.moved * 100).toFixed(1)} % moved · `}
                    {(frame.share * 100).toFixed(0)} %{!frame.placed && " · its place was not found"}
                  </span>
                </span>
                <span
                  aria-hidden
                  className="size-3 rounded-full"
                  style={{ background: frame.colour }}
                  title="Its colour in the picture of what is taken from where"
                />
                <Button
                  look="quiet"
                  className="h-6 px-1 text-[12px]"
                  onClick={() => void setRole(frame.file, number === 0 ? "base_color" : "")}
                  disabled={number === 0}
                  title={number === 0 ? "The others are brought to this one" : "Leave it out"}
                >
                  {number === 0 ? "First" : "Out"}
                </Button>
              </li>
            ))}
          </ul>
          {data.by === "exposure" && (
            <p className="figures text-soft">
              Burnt out or lost in the dark: {(data.lost[0] * 100).toFixed(1)} % of the first,{" "}
              {(data.lost[1] * 100).toFixed(1)} % merged.
            </p>
          )}
        </>
      )}
      <Setting path="gather.merge.by" />
      <Setting path="gather.merge.align" />
      {data?.by !== "focus" && <Setting path="gather.merge.ghosts" />}
      {shown && data && (
        <Dialog
          title={shown.what === "taken" ? "What is taken from where" : (data.frames[shown.number]?.name ?? "")}
          about={
            shown.what === "taken"
              ? data.frames.map((frame, number) => `${number + 1}: ${frame.name}`).join(" · ")
              : "As it was photographed."
          }
          open
          onClose={() => setShown(null)}
          wide
        >
          <img
            src={url(shown.number, shown.what)}
            alt={shown.what === "taken" ? "Which photograph each place is taken from" : "A photograph"}
            className="mx-auto block max-h-[62vh]"
          />
          {shown.what === "taken" && (
            <ul className="flex flex-wrap gap-x-4 gap-y-1 pt-2">
              {data.frames.map((frame) => (
                <li key={frame.file} className="flex items-center gap-1.5">
                  <span aria-hidden className="size-3 rounded-full" style={{ background: frame.colour }} /> {frame.name}
                </li>
              ))}
            </ul>
          )}
        </Dialog>
      )}
    </section>
  );
}
