import { Keyboard, Redo2, TriangleAlert, Undo2 } from "lucide-react";
import { useEffect, useState } from "react";
import { usePlace, go } from "../app/router";
import { useKeysPage } from "../app/keys";
import type { Material } from "../api/types";
import { Button } from "../ui/Button";
import { Level } from "../ui/Level";
import { Mark } from "../ui/Mark";
import { openStage } from "../views/state";
import { useFindings } from "./figures";
import { finishedHeight, finishedWidth } from "./finished";
import { Snapshots } from "./Snapshots";
import { rename, saveAgain, step, useEditor } from "./store";
import { ThemeButton } from "../app/ThemeButton";

export function TopLine({ material }: { material: Material }) {
  const { findings, fresh } = useFindings(material);
  const place = usePlace();
  const count = (level: string) => findings?.filter((f) => f.level === level).length ?? 0;
  const [blocked, attention, unknown] = [count("blocked"), count("attention"), count("unknown")];
  const mm = material.preview.tile_mm;
  const [width, height] = [finishedWidth(material), finishedHeight(material)];
  const size = [
    mm && `${mm.toFixed(0)} × ${((mm * height) / width).toFixed(0)} mm`,
    `${width} × ${height} px`,
    mm && `${(width / mm).toFixed(1)} px/mm`,
  ]
    .filter(Boolean)
    .join(" · ");
  return (
    <header className="flex h-11 shrink-0 items-center gap-2 border-b border-line bg-ground px-3">
      <button
        type="button"
        onClick={() => go(null)}
        className="flex items-center gap-2 rounded-card px-1 py-1 text-soft hover:text-text"
        title="Back to the library (g)"
      >
        <Mark size={22} /> <span className="max-[899px]:sr-only">Library</span>
      </button>
      <h1 className="min-w-0">
        <Name key={place.material} name={material.name} />
      </h1>
      <span className="figures min-w-0 truncate text-soft max-[899px]:hidden" title={size}>
        {size}
      </span>
      <KeptAside material={material} />
      <span className="flex-1" />
      <Saving />
      <Button
        look="quiet"
        disabled={!material.undo}
        onClick={() => void step("undo")}
        title={material.undo ? `Undo: ${material.undo}` : "Nothing to undo"}
      >
        <Undo2 size={14} /> <span className="max-[1099px]:sr-only">Undo</span>
      </Button>
      <Button
        look="quiet"
        disabled={!material.redo}
        onClick={() => void step("redo")}
        title={material.redo ? `Redo: ${material.redo}` : "Nothing to redo"}
      >
        <Redo2 size={14} /> <span className="max-[1099px]:sr-only">Redo</span>
      </Button>
      <Snapshots material={material} />
      <ThemeButton />
      <Button
        look="quiet"
        className="px-1.5"
        aria-label="All keys"
        title="All keys (?)"
        onClick={() => useKeysPage.setState({ open: true })}
      >
        <Keyboard size={15} />
      </Button>
      <Button className={fresh ? "" : "text-soft"} onClick={() => openStage("check")} title="Open Check">
        <Level
          level={!fresh ? "unknown" : blocked ? "blocked" : attention ? "attention" : unknown ? "unknown" : "pass"}
          word={false}
        />
        {!findings
          ? "Looking"
          : !fresh
            ? "Looking again"
            : blocked + attention
              ? `${blocked + attention} to settle`
              : unknown
                ? `Clear, ${unknown} cannot be told`
                : "All clear"}
      </Button>
      <Button look="main" onClick={() => openStage("pack")}>
        Pack
      </Button>
    </header>
  );
}

/** Most changes are saved before a word could be read: it is told, and announced, where it takes longer. */
const LONG_MS = 400;

function Saving() {
  const saving = useEditor((state) => state.saving && !state.unsaved);
  const [long, setLong] = useState(false);
  useEffect(() => {
    if (!saving) return;
    const timer = setTimeout(() => setLong(true), LONG_MS);
    return () => {
      clearTimeout(timer);
      setLong(false);
    };
  }, [saving]);
  return (
    <span aria-live="polite" className="text-[12px] text-soft">
      {long ? "Saving" : ""}
    </span>
  );
}

/** What another release of the program set and this one does not know: it is told, and stays with the material. */
function KeptAside({ material }: { material: Material }) {
  const paths = Object.entries(material.recipe.aside?.operations ?? {}).flatMap(([id, values]) =>
    Object.keys(values).map((name) => `${id}.${name}`),
  );
  if (!paths.length) return null;
  return (
    <span
      className="flex shrink-0 items-center gap-1.5 rounded-card border border-line px-1.5 text-[12px] text-soft"
      title={`Set by another release and not known here; they stay with the material: ${paths.join(", ")}`}
    >
      <TriangleAlert size={12} className="text-amber" aria-hidden /> {paths.length}{" "}
      {paths.length === 1 ? "setting" : "settings"} kept aside
    </span>
  );
}

/** Why changes are not saved just now. Between the top line and the pictures, so that it covers nothing. */
export function Unsaved() {
  const unsaved = useEditor((state) => state.unsaved);
  if (!unsaved) return null;
  return (
    <div role="alert" className="flex shrink-0 items-center gap-3 border-b border-line bg-lifted px-3 py-1.5">
      <TriangleAlert size={15} className="shrink-0 text-amber" aria-hidden />
      <p className="min-w-0 flex-1">
        <b>Not saved yet.</b> {unsaved.message}{" "}
        <span className="text-soft">
          {unsaved.detail} Your changes are kept on this page and sent again every few seconds.
        </span>
      </p>
      <Button onClick={saveAgain}>Try now</Button>
    </div>
  );
}

function Name({ name }: { name: string }) {
  const [draft, setDraft] = useState<string | null>(null);
  if (draft === null) {
    return (
      <button
        type="button"
        title="Rename"
        onClick={() => setDraft(name)}
        className="max-w-80 min-w-0 truncate rounded-[5px] px-1.5 py-0.5 text-[15px] font-semibold hover:bg-raised"
      >
        <span translate="no">{name}</span>
      </button>
    );
  }
  const take = () => {
    void rename(draft);
    setDraft(null);
  };
  return (
    <input
      autoFocus
      aria-label="Name of the material"
      value={draft}
      maxLength={120}
      onChange={(event) => setDraft(event.target.value)}
      onFocus={(event) => event.target.select()}
      onBlur={take}
      onKeyDown={(event) => {
        if (event.key === "Enter") take();
        if (event.key === "Escape") setDraft(null);
      }}
      className="h-7 w-72 rounded-[5px] border border-line bg-raised px-1.5 text-[15px] font-semibold"
    />
  );
}
