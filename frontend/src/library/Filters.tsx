/** What of the library is shown, and in which order. */
import { useQuery } from "@tanstack/react-query";
import { FolderInput, Tag, X } from "lucide-react";
import { Popover } from "radix-ui";
import { api } from "../api/client";
import { Button } from "../ui/Button";
import { Pick } from "../ui/Pick";
import { useFacets } from "./useFacets";
import { isFiltered, KINDS, NO_FILTER, ORDERS, SIZES, STATES, useLibraryFilter, type LibraryFilter } from "./filter";
import { localeTag } from "../words/language";

const ALL = "all";

export function Filters({ total }: { total: number }) {
  const filter = useLibraryFilter();
  const facets = useFacets(filter.archived);
  const counted = <K extends string>(names: Record<K, string>, counts: Record<string, number> | undefined) =>
    (Object.keys(names) as K[])
      .filter((name) => counts?.[name])
      .map((value) => ({ value, label: `${names[value]} (${counts?.[value]})` }));
  const collections = Object.entries(facets?.collections ?? {});
  const tags = Object.entries(facets?.tags ?? {});
  const narrow = (changes: Partial<LibraryFilter>) => useLibraryFilter.setState(changes);
  return (
    <div
      aria-label="What is shown"
      role="search"
      className="flex h-11 shrink-0 items-center gap-2 border-b border-line px-6"
    >
      <Narrow
        label="State"
        all="Any state"
        value={filter.state}
        options={counted(STATES, facets?.states)}
        onChange={(state) => narrow({ state })}
      />
      <Narrow
        label="Brought in as"
        all="Any capture"
        value={filter.kind}
        options={counted(KINDS, facets?.kinds)}
        onChange={(kind) => narrow({ kind })}
      />
      <Narrow
        label="Real size"
        all="Any size"
        value={filter.size}
        options={Object.entries(SIZES).map(([value, { label }]) => ({ value: value as keyof typeof SIZES, label }))}
        onChange={(size) => narrow({ size })}
      />
      {collections.length > 0 && (
        <Narrow
          label="Collection"
          all="All collections"
          value={filter.collection}
          options={collections.map(([value, count]) => ({ value, label: `${value} (${count})` }))}
          onChange={(collection) => narrow({ collection })}
        />
      )}
      {tags.length > 0 && (
        <Popover.Root>
          <Popover.Trigger asChild>
            <Button>
              <Tag size={13} /> {filter.tags.length ? filter.tags.join(" + ") : "Tags"}
            </Button>
          </Popover.Trigger>
          <Popover.Portal>
            <Popover.Content
              align="start"
              sideOffset={4}
              aria-label="Tags that are shown"
              className="z-40 flex max-h-96 w-64 flex-col overflow-y-auto rounded-card border border-line bg-raised p-2 shadow-lg shadow-black/40"
            >
              {tags.map(([name, count]) => (
                <label key={name} className="flex h-7 items-center gap-2 rounded-[5px] px-1.5 hover:bg-line">
                  <input
                    type="checkbox"
                    className="accent-amber"
                    checked={filter.tags.includes(name)}
                    onChange={() =>
                      narrow({
                        tags: filter.tags.includes(name)
                          ? filter.tags.filter((tag) => tag !== name)
                          : [...filter.tags, name],
                      })
                    }
                  />
                  <span className="flex-1 truncate">{name}</span>
                  <span className="figures text-soft">{count}</span>
                </label>
              ))}
            </Popover.Content>
          </Popover.Portal>
        </Popover.Root>
      )}
      {isFiltered(filter) && (
        <Button
          look="quiet"
          onClick={() => useLibraryFilter.setState({ ...NO_FILTER, order: filter.order, archived: filter.archived })}
        >
          <X size={13} /> Show all
        </Button>
      )}
      <span className="flex-1" />
      <DemoMaking />
      <WatchedFolder />
      <span role="status" className="figures text-soft">
        {total.toLocaleString(localeTag())} {total === 1 ? "material" : "materials"}
      </span>
      <Pick
        label="Order"
        value={filter.order}
        groups={[
          {
            options: (Object.keys(ORDERS) as LibraryFilter["order"][]).map((value) => ({
              value,
              label: ORDERS[value],
            })),
          },
        ]}
        onChange={(order) => narrow({ order })}
      />
    </div>
  );
}

/** One of what there is, or any. */
function Narrow<T extends string>({
  label,
  all,
  value,
  options,
  onChange,
}: {
  label: string;
  all: string;
  value: T | "";
  options: { value: T; label: string }[];
  onChange: (value: T | "") => void;
}) {
  return (
    <Pick
      label={label}
      value={value || ALL}
      groups={[{ options: [{ value: ALL, label: all }, ...options] as { value: string; label: string }[] }]}
      onChange={(next) => onChange(next === ALL ? "" : (next as T))}
      className={value ? "border-amber" : ""}
    />
  );
}

/** What of the demo library is being made: cards come one by one. */
function DemoMaking() {
  const { saying } = useQuery({ queryKey: ["library", "demo"], queryFn: api.demo }).data ?? {};
  if (!saying) return null;
  return (
    <span role="status" className="relative max-w-96 truncate text-soft" title="Made by the simulated capture bench">
      {saying}
    </span>
  );
}

/** The folder that is watched, what was taken from it, and what was not. */
function WatchedFolder() {
  const watched = useQuery({ queryKey: ["library", "watched"], queryFn: api.watched, staleTime: 10_000 }).data;
  if (!watched?.folder) return null;
  const { folder, taken, refused } = watched;
  return (
    <Popover.Root>
      <Popover.Trigger asChild>
        <Button look="quiet" title={`What is dropped into ${folder} becomes a material`}>
          <FolderInput size={13} /> {folder.split(/[\\/]/).pop()}: {taken} taken
          {refused.length > 0 && `, ${refused.length} not`}
        </Button>
      </Popover.Trigger>
      <Popover.Portal>
        <Popover.Content
          align="end"
          sideOffset={4}
          aria-label="Watched folder"
          className="z-40 max-h-96 w-96 overflow-y-auto rounded-card border border-line bg-raised p-3 shadow-lg shadow-black/40"
        >
          <p className="break-all text-soft">{folder}</p>
          {refused.length === 0 && <p className="mt-1">Nothing was refused so far.</p>}
          <ul className="mt-1 flex flex-col gap-1.5">
            {refused.map(({ files, why }) => (
              <li key={files + why}>
                <b>!</b> {files}: <span className="text-soft">{why}</span>
              </li>
            ))}
          </ul>
        </Popover.Content>
      </Popover.Portal>
    </Popover.Root>
  );
}
