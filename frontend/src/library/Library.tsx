/** All materials; drop captures anywhere to add them. */
import { Archive, ArchiveRestore, CheckCheck, HardDrive, Plus, Search, SearchCheck, Trash2 } from "lucide-react";
import { useQuery, useQueryClient } from "@tanstack/react-query";
import { useCallback, useEffect, useRef, useState } from "react";
import { api } from "../api/client";
import type { Brief } from "../api/types";
import { useAnnounced } from "../app/events";
import { go, goTo } from "../app/router";
import { ThemeButton } from "../editor/TopLine";
import { Button } from "../ui/Button";
import { cx } from "../ui/cx";
import { Mark } from "../ui/Mark";
import { tell, tellProblem } from "../ui/notices";
import { ACCEPT, Arrivals, useArrivals } from "./arrivals";
import { DeleteForGood } from "./DeleteForGood";
import { filesOf } from "./dropped";
import { Empty } from "./Empty";
import { type Kind, Kinds } from "./Kinds";
import { choose, Together, useChosen } from "./Together";

export function Library() {
  const [aside, setAside] = useState(false);
  const [words, setWords] = useState("");
  const [choosing, setChoosing] = useState(false);
  const wanted = useRef<Kind>("photographs");
  const choosingMany = useChosen((state) => state.ids !== null);
  const [over, setOver] = useState(false);
  const picker = useRef<HTMLInputElement>(null);
  const queries = useQueryClient();
  const list = useQuery({ queryKey: ["materials", aside], queryFn: () => api.materials(aside) });
  const refresh = useCallback(() => void queries.invalidateQueries({ queryKey: ["materials"] }), [queries]);
  useAnnounced("library", refresh);
  useAnnounced("back", refresh);
  const { bring } = useArrivals();

  useEffect(() => {
    document.title = "Amber Thicket";
    const paste = (event: ClipboardEvent) => {
      const files = [...(event.clipboardData?.files ?? [])];
      if (files.length) void bring(files);
    };
    addEventListener("paste", paste);
    return () => removeEventListener("paste", paste);
  }, [bring]);

  const shown = (list.data ?? []).filter((m) =>
    words
      .toLowerCase()
      .split(/\s+/)
      .every((word) => m.name.toLowerCase().includes(word)),
  );
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
      <header className="flex h-14 shrink-0 items-center gap-3 border-b border-line px-6">
        <Mark size={26} />
        <h1 className="text-[16px] font-semibold">Amber Thicket</h1>
        <span className="flex-1" />
        <label className="flex h-7 w-64 items-center gap-2 rounded-card border border-line bg-raised px-2.5">
          <Search size={13} className="text-soft" aria-hidden />
          <input
            aria-label="Search by name"
            placeholder="Search by name"
            value={words}
            onChange={(event) => setWords(event.target.value)}
            className="w-full bg-transparent outline-none placeholder:text-soft"
          />
        </label>
        <Button look="quiet" aria-pressed={aside} onClick={() => setAside(!aside)}>
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
        <ThemeButton />
        <Button look="main" onClick={() => setChoosing(true)}>
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
      <main className="min-h-0 flex-1 overflow-y-auto p-6">
        {list.isSuccess && shown.length === 0 ? (
          words || aside ? (
            <p className="pt-24 text-center text-soft">
              {words ? `No material is called “${words}”.` : "Nothing is put aside."}
            </p>
          ) : (
            <Empty onPick={() => setChoosing(true)} />
          )
        ) : (
          <ul className="grid grid-cols-[repeat(auto-fill,minmax(216px,1fr))] gap-5">
            {shown.map((material) => (
              <Card key={material.id} material={material} onMoved={refresh} />
            ))}
            {!aside && !words && (
              <li>
                <button
                  type="button"
                  onClick={() => setChoosing(true)}
                  className="grid size-full min-h-56 place-items-center rounded-[10px] border-2 border-dashed border-line text-soft hover:border-amber hover:text-text"
                >
                  <span>
                    <Plus size={18} className="mx-auto mb-1.5" />
                    Drop captures anywhere,
                    <br />
                    paste, or choose them
                  </span>
                </button>
              </li>
            )}
          </ul>
        )}
        <Arrivals />
        <Together materials={list.data ?? []} />
      </main>
      {over && (
        <div className="pointer-events-none fixed inset-3 grid place-items-center rounded-[14px] border-2 border-dashed border-amber bg-ground/85">
          <p className="text-[18px] font-semibold">Let go to add these captures</p>
        </div>
      )}
    </div>
  );
}

function Card({ material, onMoved }: { material: Brief; onMoved: () => void }) {
  const { source } = material;
  const chosen = useChosen((state) => state.ids?.includes(material.id));
  const [asking, setAsking] = useState(false);
  const move = async () => {
    try {
      await api.setAside(material.id, !material.archived);
      tell(
        material.archived ? `${material.name} is back in the library` : `${material.name} was put aside`,
        material.archived ? "" : "Nothing is deleted; find it under Put aside.",
      );
      onMoved();
    } catch (error) {
      tellProblem(error);
    }
  };
  return (
    <li
      className={cx(
        "group relative overflow-hidden rounded-[10px] border bg-raised focus-within:border-amber",
        chosen ? "border-amber ring-1 ring-amber" : "border-line hover:border-soft",
      )}
    >
      <a
        href={`/m/${material.id}`}
        onClick={(event) => {
          if (event.ctrlKey || event.metaKey || event.shiftKey) return;
          event.preventDefault();
          if (chosen === undefined) go(material.id);
          else choose(material.id);
        }}
        className="block outline-none"
        aria-pressed={chosen}
        role={chosen === undefined ? undefined : "button"}
      >
        <div className="aspect-square w-full bg-surround">
          {material.thumbnail && (
            <img
              src={`/api/thumbnails/${material.thumbnail}.jpg`}
              alt=""
              loading="lazy"
              className="size-full object-cover"
            />
          )}
        </div>
        <div className="px-3 py-2">
          <p className="truncate font-medium" title={material.name}>
            {material.name}
          </p>
          <p className="figures text-soft">
            {source.width} × {source.height} · {source.bits} bit {source.format.toUpperCase()}
          </p>
        </div>
      </a>
      <button
        type="button"
        aria-label={material.archived ? `Bring ${material.name} back` : `Put ${material.name} aside`}
        title={material.archived ? "Bring back" : "Put aside"}
        onClick={() => void move()}
        className="absolute top-2 right-2 rounded-card bg-ground/85 p-1.5 text-soft opacity-0 group-focus-within:opacity-100 group-hover:opacity-100 hover:text-text"
      >
        {material.archived ? <ArchiveRestore size={14} /> : <Archive size={14} />}
      </button>
      {material.archived && (
        <button
          type="button"
          aria-label={`Delete ${material.name} for good`}
          title="Delete for good"
          onClick={() => setAsking(true)}
          className="absolute top-2 left-2 rounded-card bg-ground/85 p-1.5 text-soft opacity-0 group-focus-within:opacity-100 group-hover:opacity-100 hover:text-text"
        >
          <Trash2 size={14} />
        </button>
      )}
      {asking && <DeleteForGood material={material} onClose={() => setAsking(false)} onDeleted={onMoved} />}
    </li>
  );
}
