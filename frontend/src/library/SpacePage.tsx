/** What takes room on the disk, and what can be given back. */
import { useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { api } from "../api/client";
import type { Space } from "../api/types";
import { go, useTitle } from "../app/router";
import { loadJobs } from "../pack/jobs";
import { Button } from "../ui/Button";
import { sizeText } from "../ui/bytes";
import { tell, tellProblem } from "../ui/notices";
import { DeleteForGood } from "./DeleteForGood";
import { PageHeader } from "../app/PageHeader";

const SHOWN = 100;

export function SpacePage() {
  const queries = useQueryClient();
  const { data, error } = useQuery({ queryKey: ["space"], queryFn: api.space });
  const refresh = () => void queries.invalidateQueries({ queryKey: ["space"] });
  useTitle("Space");
  return (
    <div className="flex h-full flex-col">
      <PageHeader title="Space" about="what takes room on the disk" />
      <main className="min-h-0 flex-1 overflow-y-auto px-6 py-5">
        {error && <p role="alert">{error.message}</p>}
        {data && (
          <div className="mx-auto grid max-w-[1160px] grid-cols-[minmax(0,5fr)_minmax(0,6fr)] gap-8">
            <Kinds space={data} onChanged={refresh} />
            <Materials space={data} onChanged={refresh} />
          </div>
        )}
      </main>
    </div>
  );
}

function Kinds({ space, onChanged }: { space: Space; onChanged: () => void }) {
  const { total, free } = space.disk;
  const own = space.parts.reduce((sum, part) => sum + part.bytes, 0);
  const packs = space.parts.find((part) => part.id === "packs");
  const drop = async () => {
    try {
      const { results, bytes } = await api.dropResults();
      tell(`${results} results were deleted`, `${sizeText(bytes)} came back. Packing again makes them anew.`);
      await loadJobs();
      onChanged();
    } catch (error) {
      tellProblem(error, "Nothing was deleted");
    }
  };
  return (
    <section aria-label="Kinds of things">
      <h2 className="text-[15px] font-semibold">On this disk</h2>
      <p className="mb-2 truncate text-soft" title={space.folder}>
        {space.folder}
      </p>
      <div
        role="img"
        aria-label={`${sizeText(own)} of this library, ${sizeText(free)} of ${sizeText(total)} free`}
        className="flex h-3 overflow-hidden rounded-full bg-raised"
      >
        <div className="bg-amber" style={{ width: `${Math.max(0.5, (own / total) * 100)}%` }} />
        <div className="bg-line" style={{ width: `${Math.max(0, (1 - (own + free) / total) * 100)}%` }} />
      </div>
      <p className="figures mt-1.5 flex justify-between text-soft">
        <span>{sizeText(own)} this library</span>
        <span>
          {sizeText(free)} free of {sizeText(total)}
        </span>
      </p>
      <ul className="mt-4 divide-y divide-line border-y border-line">
        {space.parts.map((part) => (
          <li key={part.id} className="flex items-center gap-3 py-2" data-part={part.id}>
            <span className="flex-1">
              {part.label}
              {part.id === "packs" && (
                <span className="block text-[12px] text-soft">kept for {space.keep_days} days</span>
              )}
            </span>
            {part.id === "packs" && part.bytes > 0 && (
              <Button onClick={() => void drop()}>Delete all {packs?.files}</Button>
            )}
            <span className="figures w-20 text-right">{sizeText(part.bytes)}</span>
          </li>
        ))}
      </ul>
    </section>
  );
}

function Materials({ space, onChanged }: { space: Space; onChanged: () => void }) {
  const [doomed, setDoomed] = useState<{ id: string; name: string } | null>(null);
  const most = space.materials[0]?.bytes ?? 1;
  const putAside = async (id: string, name: string) => {
    try {
      await api.setAside(id, true);
      tell(`${name} was put aside`, "It can be deleted for good now, or brought back.");
      onChanged();
    } catch (error) {
      tellProblem(error);
    }
  };
  return (
    <section aria-label="Materials by size">
      <h2 className="text-[15px] font-semibold">Materials by size</h2>
      <p className="mb-2 text-soft">Only what was put aside can be deleted.</p>
      <ul className="divide-y divide-line border-y border-line">
        {space.materials.slice(0, SHOWN).map((one) => (
          <li key={one.id} className="relative flex items-center gap-3 py-1.5">
            <div className="min-w-0 flex-1">
              <a
                href={`/m/${one.id}`}
                onClick={(event) => {
                  event.preventDefault();
                  go(one.id);
                }}
                translate="no"
                className="block truncate hover:text-amber"
                title={one.name}
              >
                {one.name}
              </a>
              <div
                aria-hidden
                className="mt-1 h-[3px] rounded-full bg-line"
                style={{ width: `${Math.max(1, (one.bytes / most) * 100)}%` }}
              />
            </div>
            <span className="figures w-20 text-right">{sizeText(one.bytes)}</span>
            <span className="flex w-32 justify-end">
              {one.archived ? (
                <Button onClick={() => setDoomed(one)}>Delete for good</Button>
              ) : (
                <Button look="quiet" onClick={() => void putAside(one.id, one.name)}>
                  Put aside
                </Button>
              )}
            </span>
          </li>
        ))}
      </ul>
      {space.materials.length > SHOWN && (
        <p className="mt-2 text-soft">and {space.materials.length - SHOWN} smaller ones</p>
      )}
      {doomed && <DeleteForGood material={doomed} onClose={() => setDoomed(null)} onDeleted={onChanged} />}
    </section>
  );
}
