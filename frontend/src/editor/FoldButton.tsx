/** Folds a column beside the views away, and out again. */
import { ChevronLeft, ChevronRight } from "lucide-react";
import { cx } from "../ui/cx";
import { fold, type Folded } from "../views/state";

const WORDS: Record<keyof Folded, [string, string]> = {
  stages: ["Fold the stages (,)", "Unfold the stages (,)"],
  settings: ["Fold the settings (.)", "Unfold the settings (.)"],
  sheet: ["Fold the settings (.)", "Unfold the settings (.)"],
};

export function FoldButton({
  what,
  folded,
  side,
  className,
}: {
  what: keyof Folded;
  folded: boolean;
  side: "left" | "right";
  className?: string;
}) {
  const Arrow = (side === "left") !== folded ? ChevronLeft : ChevronRight;
  const words = WORDS[what][folded ? 1 : 0];
  return (
    <button
      type="button"
      aria-label={words.replace(/ \(.*/, "")}
      aria-expanded={!folded}
      title={words}
      onClick={() => fold(what)}
      className={cx(
        "grid shrink-0 place-items-center rounded-[5px] text-soft hover:bg-lifted hover:text-text",
        className ?? "h-5 w-full",
      )}
    >
      <Arrow size={14} />
    </button>
  );
}
