/** The settings of the open stage. */
import { RotateCcw } from "lucide-react";
import { useEffect } from "react";
import { change, useEditor } from "../editor/store";
import type { Material, SettingPath } from "../api/types";
import { STAGE_ABOUT, STAGE_NAMES } from "../views/names";
import { useViews } from "../views/state";
import { FoldButton } from "../editor/FoldButton";
import { cx } from "../ui/cx";
import { useNarrow } from "../ui/useNarrow";
import { toggleGuide, useGuide } from "../guide/state";
import { Words } from "../guide/Words";
import { useHelp } from "./help";
import { NextLine } from "./NextLine";
import { STAGES } from "./registry";

export function Panel({ material }: { material: Material }) {
  const stage = useViews((state) => state.stage);
  const show = useHelp((state) => state.show);
  // What was explained in another stage has nothing to say here.
  useEffect(() => {
    show("", "");
  }, [stage, show]);
  const narrow = useNarrow();
  const reading = useGuide((state) => state.page);
  const column = narrow ? "sheet" : "settings";
  const folded = useViews((state) => state.folded[column]);
  const { Panel: Inside } = STAGES[stage];
  const changes = material.changes[stage];
  const reset = () => {
    const paths = Object.entries(material.recipe.operations)
      // What a file is stays as it is: only settings go back.
      .filter(
        ([id]) => id.startsWith(`${stage}.`) && !["gather.maps", "gather.lights", "gather.registration"].includes(id),
      )
      .flatMap(([id, values]) => Object.keys(values).map((name) => `${id}.${name}` as SettingPath));
    change(Object.fromEntries(paths.map((path) => [path, null])), `${STAGE_NAMES[stage]} reset`);
  };
  const about = useEditor((state) => state.about);
  if (!about) return null;
  if (folded)
    return (
      <aside
        aria-label={`${STAGE_NAMES[stage]} settings, folded`}
        className="flex h-full w-7 shrink-0 flex-col border-l border-line bg-ground px-1 py-2"
      >
        <FoldButton what={column} folded side="right" className="h-6" />
        <span aria-hidden className="mt-2 self-center text-[12px] text-soft [writing-mode:vertical-rl]">
          {STAGE_NAMES[stage]}
        </span>
      </aside>
    );
  return (
    <aside
      aria-label={`${STAGE_NAMES[stage]} settings`}
      className={cx(
        "flex h-full w-[312px] shrink-0 flex-col border-l border-line bg-ground",
        // A sheet over the one view there is.
        narrow && "absolute inset-y-0 right-0 z-20 max-w-[calc(100%-48px)] shadow-[-8px_0_24px_rgba(0,0,0,.35)]",
      )}
    >
      <NextLine key={material.id} material={material} />
      <div className="px-3.5 pt-2.5 pb-1.5">
        <div className="flex h-6 items-center gap-1">
          <FoldButton what={column} folded={false} side="right" className="-ml-1.5 size-6" />
          <h2 className="flex-1 text-[15px] font-semibold">{STAGE_NAMES[stage]}</h2>
          {changes > 0 && (
            <button
              type="button"
              onClick={reset}
              title="Sets everything in this stage back; undo brings it back"
              className="inline-flex items-center gap-1 rounded-[5px] px-1.5 text-[12px] text-soft hover:bg-lifted hover:text-text"
            >
              <RotateCcw size={12} /> Reset {changes}
            </button>
          )}
        </div>
        <p className="text-[12.5px] text-soft">
          <Words>{STAGE_ABOUT[stage]}</Words>{" "}
          <button
            type="button"
            aria-pressed={reading === stage}
            title="The guide's page on this stage, beside the pictures"
            onClick={() => toggleGuide(stage)}
            className="text-text underline decoration-dotted underline-offset-[3px] hover:decoration-solid"
          >
            Why?
          </button>
        </p>
      </div>
      <div key={stage} data-settings className="min-h-0 flex-1 overflow-y-auto px-3.5 pb-3">
        <Inside material={material} />
      </div>
      <HelpLine />
    </aside>
  );
}

/** What the setting that is pointed at does. */
function HelpLine() {
  const { name, text } = useHelp();
  return (
    <p
      aria-live="polite"
      className="min-h-[46px] border-t border-line px-3.5 py-1.5 text-[12px] leading-[1.35] text-soft"
    >
      {name && <span className="text-text">{name}: </span>}
      <Words>{text || "Point at a setting to read what it does."}</Words>
    </p>
  );
}
