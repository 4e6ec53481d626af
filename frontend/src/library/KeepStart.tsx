/** A material's settings kept under a name, for captures to begin with. */
import { useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { api } from "../api/client";
import { Button } from "../ui/Button";
import { Dialog } from "../ui/Dialog";
import { tell, tellProblem } from "../ui/notices";

export function KeepStart({ card, onClose }: { card: { id: string; name: string }; onClose: () => void }) {
  const queries = useQueryClient();
  const [name, setName] = useState(card.name);
  const [note, setNote] = useState("");
  const rows = useQuery({ queryKey: ["carriable", card.id], queryFn: () => api.carriable(card.id), gcTime: 0 }).data;
  const starts = useQuery({ queryKey: ["starts"], queryFn: api.starts }).data ?? [];
  const stays = rows?.filter((row) => row.why) ?? [];
  const keep = async () => {
    try {
      const start = await api.keepStart({ material: card.id, name, note });
      await queries.invalidateQueries({ queryKey: ["starts"] });
      tell(`${start.name} can be begun with`, "Choose it under Add captures, or carry it to materials that are there.");
      onClose();
    } catch (error) {
      tellProblem(error, "Not kept");
    }
  };
  return (
    <Dialog
      title="Keep as a start"
      about="Captures of the same sort can begin with these settings, whoever brings them into this library."
      open
      onClose={onClose}
    >
      <div className="flex flex-col gap-3">
        <label className="flex flex-col gap-1">
          Name
          <input
            value={name}
            maxLength={120}
            data-first
            onChange={(event) => setName(event.target.value)}
            className="h-7 rounded-card border border-line bg-raised px-2.5 outline-none focus:border-amber"
          />
        </label>
        <label className="flex flex-col gap-1">
          When to use it
          <input
            value={note}
            maxLength={400}
            placeholder="Roof slates, phone, overcast"
            onChange={(event) => setNote(event.target.value)}
            className="h-7 rounded-card border border-line bg-raised px-2.5 outline-none placeholder:text-soft focus:border-amber"
          />
        </label>
        {rows && (
          <p className="text-soft">
            {rows.length - stays.length} settings are kept.
            {stays.length > 0 && ` ${stays.length} stay here: ${[...new Set(stays.map((row) => row.why))].join("; ")}.`}
          </p>
        )}
        {starts.some((start) => start.name === name.trim()) && (
          <p>
            <b>!</b> There is a start of this name; this one takes its place.
          </p>
        )}
        <div className="flex justify-end gap-2">
          <Button onClick={onClose}>Leave it</Button>
          <Button
            look="main"
            disabled={!name.trim() || !rows || rows.length === stays.length}
            onClick={() => void keep()}
          >
            Keep
          </Button>
        </div>
      </div>
    </Dialog>
  );
}
