/** What somebody writes on a card: tags, collections, notes. */
import { useQuery } from "@tanstack/react-query";
import { X } from "lucide-react";
import { useState } from "react";
import { api } from "../api/client";
import type { CardNotes } from "../api/types";
import { Button } from "../ui/Button";
import { Dialog } from "../ui/Dialog";
import { tellProblem } from "../ui/notices";
import { useFacets } from "./useFacets";

interface Props {
  card: { id: string; name: string };
  onClose: () => void;
  onChanged: () => void;
}

export function NotesDialog({ card, onClose, onChanged }: Props) {
  const { data } = useQuery({ queryKey: ["card", card.id], queryFn: () => api.cardNotes(card.id), gcTime: 0 });
  return (
    <Dialog title={`Tags and notes of ${card.name}`} open onClose={onClose}>
      {data && <Form card={card} before={data} onClose={onClose} onChanged={onChanged} />}
    </Dialog>
  );
}

function Form({ card, before, onClose, onChanged }: Props & { before: CardNotes }) {
  const [tags, setTags] = useState([...before.tags]);
  const [collections, setCollections] = useState([...before.collections]);
  const [notes, setNotes] = useState(before.notes);
  const facets = useFacets();
  const keep = async () => {
    try {
      for (const [kind, now, was] of [
        ["tag", tags, before.tags],
        ["collection", collections, before.collections],
      ] as const) {
        const add = now.filter((one) => !was.includes(one));
        const drop = was.filter((one) => !now.includes(one));
        if (add.length || drop.length) await api.label({ materials: [card.id], kind, add, drop });
      }
      if (notes !== before.notes) await api.note(card.id, notes);
      onChanged();
      onClose();
    } catch (error) {
      tellProblem(error, "Not kept");
    }
  };
  return (
    <div className="flex flex-col gap-4">
      <LabelField label="Tags" names={tags} known={Object.keys(facets?.tags ?? {})} onChange={setTags} />
      <LabelField
        label="In collections"
        names={collections}
        known={Object.keys(facets?.collections ?? {})}
        onChange={setCollections}
      />
      <label className="flex flex-col gap-1">
        Notes
        <textarea
          value={notes}
          maxLength={20000}
          rows={6}
          onChange={(event) => setNotes(event.target.value)}
          className="rounded-card border border-line bg-raised px-2.5 py-1.5 outline-none focus:border-amber"
        />
      </label>
      <p className="text-[12px] text-soft">
        {before.files.length === 1 ? "File" : `${before.files.length} files`}: {before.files.join(", ")}
      </p>
      <div className="flex justify-end gap-2">
        <Button onClick={onClose}>Leave as it was</Button>
        <Button look="main" onClick={() => void keep()}>
          Keep
        </Button>
      </div>
    </div>
  );
}

/** Labels as a row of words; new ones are typed, known ones are offered. */
export function LabelField({
  label,
  names,
  known,
  onChange,
}: {
  label: string;
  names: string[];
  known: string[];
  onChange: (names: string[]) => void;
}) {
  const [word, setWord] = useState("");
  const add = (name: string) => {
    // Commas set labels apart, here and in addresses.
    const fresh = name
      .split(",")
      .map((one) => one.trim())
      .filter((one) => one && !names.includes(one));
    if (fresh.length) onChange([...names, ...new Set(fresh)]);
    setWord("");
  };
  const offered = known.filter(
    (name) => !names.includes(name) && name.toLowerCase().includes(word.trim().toLowerCase()),
  );
  return (
    <div>
      <p className="mb-1">{label}</p>
      <div className="flex flex-wrap items-center gap-1.5 rounded-card border border-line bg-raised p-1.5 focus-within:border-amber">
        {names.map((name) => (
          <span key={name} className="inline-flex h-6 items-center gap-1 rounded-card bg-lifted pr-1 pl-2">
            <span translate="no">{name}</span>
            <button
              type="button"
              aria-label={`Take ${name} away`}
              className="text-soft hover:text-text"
              onClick={() => onChange(names.filter((one) => one !== name))}
            >
              <X size={12} />
            </button>
          </span>
        ))}
        <input
          aria-label={`Add: ${label.toLowerCase()}`}
          placeholder="Type, then Enter"
          value={word}
          maxLength={60}
          onChange={(event) =>
            event.target.value.includes(",") ? add(event.target.value) : setWord(event.target.value)
          }
          onBlur={() => add(word)}
          onKeyDown={(event) => {
            if (event.key === "Enter") {
              event.preventDefault();
              add(word);
            } else if (event.key === "Backspace" && !word && names.length) onChange(names.slice(0, -1));
          }}
          className="h-6 min-w-28 flex-1 bg-transparent px-1 outline-none placeholder:text-soft"
        />
      </div>
      {offered.length > 0 && (
        <p className="mt-1.5 flex flex-wrap gap-1 text-[12px]">
          {offered.slice(0, 12).map((name) => (
            <button
              key={name}
              type="button"
              translate="no"
              className="rounded-card border border-line px-1.5 py-px text-soft hover:text-text"
              onMouseDown={(event) => event.preventDefault()}
              onClick={() => add(name)}
            >
              {name}
            </button>
          ))}
        </p>
      )}
    </div>
  );
}
