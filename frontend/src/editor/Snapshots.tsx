/** Named states of the material: keep one, go back to it, compare with it. */
import { BookmarkPlus, GitCompareArrows, Undo, X } from "lucide-react";
import { useState } from "react";
import { Popover } from "radix-ui";
import { api } from "../api/client";
import type { Material } from "../api/types";
import { Button } from "../ui/Button";
import { tellProblem } from "../ui/notices";
import { useViews } from "../views/state";
import { settled, useEditor } from "./store";
import { localeTag } from "../words/language";

async function ask(what: (id: string, revision: number) => Promise<Material>) {
  const material = await settled();
  if (!material) return;
  try {
    const newest = await what(material.id, material.revision);
    if (useEditor.getState().material?.id === newest.id) useEditor.setState({ material: newest });
  } catch (error) {
    tellProblem(error);
  }
}

export function Snapshots({ material }: { material: Material }) {
  const [name, setName] = useState("");
  const against = useViews((state) => state.compare.snapshot);
  const compare = (id: number) =>
    useViews.setState((state) => ({
      compare: {
        ...state.compare,
        snapshot: against === id ? null : id,
        mode: against === id ? "off" : state.compare.mode === "off" ? "wipe" : state.compare.mode,
      },
    }));
  return (
    <Popover.Root>
      <Popover.Trigger asChild>
        <Button look="quiet" title="Named states of this material">
          <BookmarkPlus size={14} /> <span className="max-[899px]:sr-only">Snapshots</span>
          {material.snapshots.length > 0 && <span className="figures">{material.snapshots.length}</span>}
        </Button>
      </Popover.Trigger>
      <Popover.Portal>
        <Popover.Content
          align="end"
          sideOffset={6}
          aria-label="Snapshots"
          className="z-40 w-80 rounded-[10px] border border-line bg-raised p-3 shadow-lg shadow-black/40"
        >
          <form
            className="flex gap-1.5"
            onSubmit={(event) => {
              event.preventDefault();
              void ask((id) => api.snapshot(id, name.trim() || `State ${material.snapshots.length + 1}`));
              setName("");
            }}
          >
            <input
              aria-label="Name of the snapshot"
              placeholder={`State ${material.snapshots.length + 1}`}
              value={name}
              maxLength={80}
              onChange={(event) => setName(event.target.value)}
              className="h-7 min-w-0 flex-1 rounded-[5px] border border-line bg-ground px-2 outline-none placeholder:text-soft focus:border-amber"
            />
            <Button type="submit" look="main">
              Keep
            </Button>
          </form>
          <ul aria-label="Snapshots there are" className="mt-2 flex max-h-64 flex-col gap-0.5 overflow-y-auto">
            {material.snapshots.map((one) => (
              <li key={one.id} className="flex h-8 items-center gap-1">
                <span
                  translate="no"
                  className="min-w-0 flex-1 truncate"
                  title={new Date(one.created * 1000).toLocaleString(localeTag())}
                >
                  {one.name}
                </span>
                <Button
                  look={against === one.id ? "main" : "quiet"}
                  aria-pressed={against === one.id}
                  className="h-6.5 px-1.5 text-[12px]"
                  title="Lay it over the first view"
                  onClick={() => compare(one.id)}
                >
                  <GitCompareArrows size={13} /> Compare
                </Button>
                <Button
                  look="quiet"
                  className="h-6.5 px-1.5 text-[12px]"
                  onClick={() => void ask((id, revision) => api.backTo(id, one.id, revision))}
                >
                  <Undo size={13} /> Go back
                </Button>
                <button
                  type="button"
                  aria-label={`Take ${one.name} away`}
                  className="rounded-[5px] p-1 text-soft hover:bg-lifted hover:text-text"
                  onClick={() => {
                    if (against === one.id) compare(one.id);
                    void ask((id) => api.dropSnapshot(id, one.id));
                  }}
                >
                  <X size={13} />
                </button>
              </li>
            ))}
          </ul>
          <p className="mt-1 text-[12px] text-soft">
            {material.snapshots.length
              ? "Going back is a step that undo takes back; nothing is lost."
              : "Name the state as it is now, to go back to it or to compare with it."}
          </p>
        </Popover.Content>
      </Popover.Portal>
    </Popover.Root>
  );
}
