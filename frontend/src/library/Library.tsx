/** All materials; drop captures anywhere to add them. */
import { Archive, BookOpen, CheckCheck, HardDrive, ListChecks, Plus, Search, SearchCheck } from "lucide-react";
import { keepPreviousData, useQuery, useQueryClient } from "@tanstack/react-query";
import { useCallback, useEffect, useRef, useState } from "react";
import { api } from "../api/client";
import { LanguageButton } from "../app/LanguageButton";
import { SkipLinks } from "../app/SkipLinks";
import { useAnnounced } from "../app/events";
import { goTo, useTitle } from "../app/router";
import { Button } from "../ui/Button";
import { Mark } from "../ui/Mark";
import { ACCEPT, Arrivals, useArrivals } from "./arrivals";
import { filesOf } from "./dropped";
import { Empty } from "./Empty";
import { type Kind, Kinds } from "./Kinds";
import { useChosen } from "./chosen";
import { Filters } from "./Filters";
import { Grid } from "./Grid";
import { Together } from "./Together";
import { isFiltered, NO_FILTER, queryOf, useLibraryFilter } from "./filter";
import { ThemeButton } from "../app/ThemeButton";

const REFRESHED_MS = 1500;

export function Library() {
  const filter = useLibraryFilter();
  const { archived: aside, words } = filter;
  const query = queryOf(filter);
  const [choosing, setChoosing] = useState(false);
  const wanted = useRef<Kind>("photographs");
  const choosingMany = useChosen((state) => state.ids !== null);
  const [over, setOver] = useState(false);
  const picker = useRef<HTMLInputElement>(null);
  const queries = useQueryClient();
  const list = useQuery({
    queryKey: ["library", query, "total"],
    queryFn: ({ signal }) => api.library(query, 0, 1, signal),
    placeholderData: keepPreviousData,
  });
  const batches = useQuery({ queryKey: ["batches"], queryFn: api.batches }).data ?? [];
  const refresh = useCallback(() => void queries.invalidateQueries({ queryKey: ["library"] }), [queries]);
  useAnnounced("library", refresh);
  const soon = useRef<ReturnType<typeof setTimeout> | null>(null);
  useEffect(() => () => clearTimeout(soon.current ?? undefined), []);
  // Whoever draws at a slider elsewhere changes a material many times a second: cards follow now and then.
  useAnnounced(
    "material",
    useCallback(() => {
      soon.current ??= setTimeout(() => {
        soon.current = null;
        refresh();
      }, REFRESHED_MS);
    }, [refresh]),
  );
  useAnnounced("back", refresh);
  const { bring } = useArrivals();

  useTitle(aside ? "Put aside" : "Library");
  useEffect(() => {
    const paste = (event: ClipboardEvent) => {
      const files = [...(event.clipboardData?.files ?? [])];
      if (files.length) void bring(files);
    };
    addEventListener("paste", paste);
    return () => removeEventListener("paste", paste);
  }, [bring]);

  const total = list.data?.total ?? 0;
  return (
    <div
      className="flex h-full flex-col"
      onDragOver={(event) => {
        event.preventDefault();
        setOver(true);
      }}
      onDragLeave={(event) => event.currentTarget === event.target && setOver(false)}
      onDrop={(event) => {
        event.preventDefault();
        setOver(false);
        void filesOf(event.dataTransfer).then((files) => (files.length ? bring(files) : undefined));
      }}
    >
      <SkipLinks to={[["To the materials", "main"]]} />
      <header className="flex h-14 shrink-0 items-center gap-3 border-b border-line px-6">
        <Mark size={26} />
        <h1 className="text-[16px] font-semibold whitespace-nowrap">Amber Thicket</h1>
        <span className="flex-1" />
        <label className="flex h-7 w-64 items-center gap-2 rounded-card border border-line bg-raised px-2.5">
          <Search size={13} className="text-soft" aria-hidden />
          <input
            aria-label="Search"
            placeholder="Names, tags, notes, files"
            value={words}
            onChange={(event) => useLibraryFilter.setState({ words: event.target.value })}
            className="w-full bg-transparent outline-none placeholder:text-soft"
          />
        </label>
        <Button
          look="quiet"
          aria-pressed={aside}
          onClick={() => useLibraryFilter.setState({ ...NO_FILTER, archived: !aside })}
        >
          <Archive size={14} /> {aside ? "Back to the library" : "Put aside"}
        </Button>
        {aside && (
          <Button
            look="quiet"
            title="What takes room on the disk, and what can be given back"
            onClick={() => goTo("/space")}
          >
            <HardDrive size={14} /> Space
          </Button>
        )}
        {batches.length > 0 && (
          <Button look="quiet" title="What batches came to" onClick={() => goTo(`/batch/${batches[0]!.id}`)}>
            <ListChecks size={14} /> Batches
          </Button>
        )}
        <Button
          look={choosingMany ? "plain" : "quiet"}
          aria-pressed={choosingMany}
          title="Choose several to pack or lay out together"
          onClick={() => useChosen.setState({ ids: choosingMany ? null : [] })}
        >
          <CheckCheck size={14} /> Choose
        </Button>
        <Button
          look="quiet"
          title="What maps made elsewhere are, and what is wrong with them"
          onClick={() => goTo("/audit")}
        >
          <SearchCheck size={14} /> Audit
        </Button>
        <Button look="quiet" title="How it is done, and what words mean" onClick={() => goTo("/guide")}>
          <BookOpen size={14} /> Guide
        </Button>
        <LanguageButton />
        <ThemeButton />
        <Button look="main" data-guided="add" onClick={() => setChoosing(true)}>
          <Plus size={14} /> Add captures
        </Button>
        <Kinds
          open={choosing}
          onClose={() => setChoosing(false)}
          onPick={(kind) => {
            wanted.current = kind;
            picker.current?.click();
          }}
        />
        <input
          ref={picker}
          type="file"
          multiple
          accept={ACCEPT}
          aria-label="Capture files"
          className="hidden"
          onChange={(event) => {
            void bring([...(event.target.files ?? [])], wanted.current);
            wanted.current = "photographs";
            event.target.value = "";
          }}
        />
      </header>
      <Filters total={total} />
      <main className="flex min-h-0 flex-1 flex-col">
        {list.isSuccess && total === 0 ? (
          isFiltered(filter) || aside ? (
            <p className="pt-24 text-center text-soft">
              {isFiltered(filter) ? "Nothing is like what is looked for." : "Nothing is put aside."}
            </p>
          ) : (
            <Empty onPick={() => setChoosing(true)} />
          )
        ) : (
          <Grid query={query} total={total} onChanged={refresh} />
        )}
        <Arrivals />
        <Together onChanged={refresh} />
      </main>
      {over && (
        <div className="pointer-events-none fixed inset-3 grid place-items-center rounded-[14px] border-2 border-dashed border-amber bg-ground/85">
          <p className="text-[18px] font-semibold">Let go to add these captures</p>
        </div>
      )}
    </div>
  );
}
