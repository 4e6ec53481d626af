/** One card: the finished surface, what state it is in, and what can be done with it. */
import {
  Archive,
  ArchiveRestore,
  BookMarked,
  Check,
  Copy,
  Ellipsis,
  FileJson,
  FolderOutput,
  NotebookPen,
  Package,
  PencilLine,
  Trash2,
} from "lucide-react";
import { DropdownMenu } from "radix-ui";
import { type ReactNode, useRef, useState } from "react";
import { api } from "../api/client";
import type { Card, Level as LevelName, State } from "../api/types";
import { cx } from "../ui/cx";
import { Level } from "../ui/Level";
import { tell, tellProblem } from "../ui/notices";
import { useChosen } from "./chosen";
import { DeleteForGood } from "./DeleteForGood";
import { KeepStart } from "./KeepStart";
import { NotesDialog } from "./NotesDialog";
import { stateWords, whenWords, widthWords } from "./filter";
import { localeTag } from "../words/language";

const SIGNS: Partial<Record<State, LevelName>> = { open: "unknown", to_settle: "attention", passed: "pass" };

/** What is seen beside a state: by shape, as everywhere. */
function signOf({ state, to_settle, untold }: Card): LevelName | undefined {
  if (state === "packed") return to_settle ? "attention" : undefined;
  // Nothing is called well that cannot be told.
  return state === "passed" && untold ? "unknown" : SIGNS[state];
}

interface Props {
  card: Card;
  /** Reached with the Tab key; the others by arrows from there. */
  reached: boolean;
  onOpen: () => void;
  onToggle: (extend: boolean) => void;
  onChanged: () => void;
}

export function CardView({ card, reached, onOpen, onToggle, onChanged }: Props) {
  const choosing = useChosen((state) => state.ids !== null);
  const chosen = useChosen((state) => state.ids?.includes(card.id) ?? false);
  const [asking, setAsking] = useState<"delete" | "notes" | "start" | "name" | null>(null);
  const link = useRef<HTMLAnchorElement>(null);
  const act = async (what: () => Promise<unknown>, title: string, text = "") => {
    try {
      await what();
      tell(title, text);
      onChanged();
    } catch (error) {
      tellProblem(error);
    }
  };
  const setAside = () =>
    act(
      () => api.setAside(card.id, !card.archived),
      card.archived ? `${card.name} is back in the library` : `${card.name} was put aside`,
      card.archived ? "" : "Nothing is deleted; find it under Put aside.",
    );
  const { source } = card;
  const sign = signOf(card);
  const press = (event: React.MouseEvent) => {
    event.preventDefault();
    if (event.ctrlKey || event.metaKey || event.shiftKey || choosing) onToggle(event.shiftKey);
    else onOpen();
  };
  const done = () => {
    setAsking(null);
    link.current?.focus();
  };
  return (
    <div
      className={cx(
        "group relative flex size-full flex-col overflow-hidden rounded-[10px] border bg-raised focus-within:border-amber",
        chosen ? "border-amber ring-1 ring-amber" : "border-line hover:border-soft",
      )}
      onKeyDown={(event) => {
        if (event.key === "F2" && event.target === link.current) setAsking("name");
        else if (event.key === "Delete" && event.target === link.current) void setAside();
      }}
    >
      <a
        ref={link}
        href={`/m/${card.id}`}
        tabIndex={reached ? 0 : -1}
        draggable={false}
        onClick={press}
        className="block min-h-0 flex-1 outline-none"
        aria-pressed={choosing ? chosen : undefined}
        role={choosing ? "button" : undefined}
        aria-label={`${card.name}: ${stateWords(card)}`}
      >
        <div className="size-full bg-surround">
          {card.thumbnail && (
            <img
              src={`/api/thumbnails/${card.thumbnail}.jpg`}
              alt=""
              draggable={false}
              className="size-full object-cover"
            />
          )}
        </div>
      </a>
      <div className="h-[66px] shrink-0 px-3 py-1.5">
        {asking === "name" ? (
          <Rename card={card} onDone={done} onChanged={onChanged} />
        ) : (
          <p translate="no" className="cursor-pointer truncate font-medium" title={card.name} onClick={press}>
            {card.name}
          </p>
        )}
        <p className="figures flex items-center gap-1.5 text-[12px] text-soft" title={stateTitle(card)}>
          {card.state === "packed" && <Package size={13} className="shrink-0" aria-hidden />}
          {sign && <Level level={sign} word={false} />}
          <span className="truncate">{stateWords(card)}</span>
        </p>
        <p translate="no" className="figures flex gap-1.5 text-[12px] text-soft" title={card.tags.join(", ")}>
          <span translate="no" className="min-w-0 flex-1 truncate">
            {[widthWords(card.width_mm) || `${source.width} × ${source.height} px`, ...card.tags].join(" · ")}
          </span>
          <span className="shrink-0">{whenWords(card.since)}</span>
        </p>
      </div>
      <button
        type="button"
        role="checkbox"
        aria-checked={chosen}
        aria-label={`Choose ${card.name}`}
        tabIndex={-1}
        onClick={(event) => onToggle(event.shiftKey)}
        className={cx(
          "absolute top-2 left-2 grid size-6 place-items-center rounded-card border",
          chosen
            ? "border-amber bg-amber text-on-amber"
            : "border-line bg-ground/85 text-transparent opacity-0 group-focus-within:opacity-100 group-hover:opacity-100 hover:text-soft",
          choosing && "opacity-100",
        )}
      >
        <Check size={14} strokeWidth={2.5} />
      </button>
      <div className="absolute top-2 right-2 flex gap-1 opacity-0 group-focus-within:opacity-100 group-hover:opacity-100 has-[[data-state=open]]:opacity-100">
        <button
          type="button"
          aria-label={card.archived ? `Bring ${card.name} back` : `Put ${card.name} aside`}
          title={card.archived ? "Bring back" : "Put aside"}
          tabIndex={reached ? 0 : -1}
          onClick={() => void setAside()}
          className="rounded-card bg-ground/85 p-1.5 text-soft hover:text-text"
        >
          {card.archived ? <ArchiveRestore size={14} /> : <Archive size={14} />}
        </button>
        {card.archived && (
          <button
            type="button"
            aria-label={`Delete ${card.name} for good`}
            title="Delete for good"
            tabIndex={reached ? 0 : -1}
            onClick={() => setAsking("delete")}
            className="rounded-card bg-ground/85 p-1.5 text-soft hover:text-text"
          >
            <Trash2 size={14} />
          </button>
        )}
        <DropdownMenu.Root>
          <DropdownMenu.Trigger asChild>
            <button
              type="button"
              aria-label={`More for ${card.name}`}
              tabIndex={reached ? 0 : -1}
              className="rounded-card bg-ground/85 p-1.5 text-soft hover:text-text"
            >
              <Ellipsis size={14} />
            </button>
          </DropdownMenu.Trigger>
          <DropdownMenu.Portal>
            <DropdownMenu.Content
              align="end"
              sideOffset={4}
              className="z-40 min-w-52 rounded-card border border-line bg-raised p-1 shadow-lg shadow-black/40"
              onCloseAutoFocus={(event) => asking && event.preventDefault()}
            >
              <Item icon={<PencilLine size={14} />} onSelect={() => setAsking("name")}>
                Rename
              </Item>
              <Item icon={<NotebookPen size={14} />} onSelect={() => setAsking("notes")}>
                Tags and notes
              </Item>
              <Item
                icon={<Copy size={14} />}
                onSelect={() => void act(() => api.duplicate(card.id), `${card.name} is there twice now`)}
              >
                Duplicate
              </Item>
              <Item icon={<BookMarked size={14} />} onSelect={() => setAsking("start")}>
                Keep as a start
              </Item>
              <DropdownMenu.Separator className="my-1 h-px bg-line" />
              <Item icon={<FolderOutput size={14} />} href={`/api/materials/${card.id}/bundle.zip`}>
                Save all of it as a bundle
              </Item>
              <Item icon={<FileJson size={14} />} href={`/api/materials/${card.id}/recipe.json`}>
                Save the recipe
              </Item>
            </DropdownMenu.Content>
          </DropdownMenu.Portal>
        </DropdownMenu.Root>
      </div>
      {asking === "delete" && <DeleteForGood material={card} onClose={done} onDeleted={onChanged} />}
      {asking === "notes" && <NotesDialog card={card} onClose={done} onChanged={onChanged} />}
      {asking === "start" && <KeepStart card={card} onClose={done} />}
    </div>
  );
}

function stateTitle(card: Card): string {
  const told = { as_shot: "brought in", open: "changed", to_settle: "checked", passed: "checked", packed: "packed" };
  return `${stateWords(card)}: ${told[card.state]} ${new Date(card.since * 1000).toLocaleString(localeTag())}`;
}

function Item({
  icon,
  onSelect,
  href,
  children,
}: {
  icon: ReactNode;
  onSelect?: () => void;
  href?: string;
  children: ReactNode;
}) {
  const inside = (
    <>
      <span className="text-soft">{icon}</span>
      {children}
    </>
  );
  return (
    <DropdownMenu.Item
      asChild={href !== undefined}
      onSelect={onSelect}
      className="flex h-7 cursor-pointer items-center gap-2 rounded-[5px] px-2 text-[13px] outline-none data-[highlighted]:bg-line"
    >
      {href === undefined ? (
        inside
      ) : (
        <a href={href} download>
          {inside}
        </a>
      )}
    </DropdownMenu.Item>
  );
}

function Rename({ card, onDone, onChanged }: { card: Card; onDone: () => void; onChanged: () => void }) {
  const [name, setName] = useState(card.name);
  const left = useRef(false);
  const keep = async () => {
    if (left.current) return;
    left.current = true;
    try {
      if (name.trim() && name.trim() !== card.name) {
        await api.rename(card.id, name.trim());
        onChanged();
      }
    } catch (error) {
      tellProblem(error);
    }
    onDone();
  };
  return (
    <input
      aria-label={`New name of ${card.name}`}
      value={name}
      maxLength={120}
      autoFocus
      onFocus={(event) => event.target.select()}
      onChange={(event) => setName(event.target.value)}
      onBlur={() => void keep()}
      onKeyDown={(event) => {
        event.stopPropagation();
        if (event.key === "Enter") void keep();
        if (event.key === "Escape") {
          left.current = true;
          onDone();
        }
      }}
      className="h-[21px] w-full rounded-[4px] border border-amber bg-ground px-1 font-medium outline-none"
    />
  );
}
