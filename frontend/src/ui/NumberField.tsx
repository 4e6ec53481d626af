import { useState } from "react";
import { cx } from "./cx";
import { tell } from "./notices";
import { parseNumber } from "./number";
import { say } from "../words/say";

interface Props {
  label: string;
  value: number;
  text: string;
  min: number | null;
  max: number | null;
  onChange: (value: number) => void;
  className?: string;
}

/** A typed value: taken on Enter or when left, given back unchanged on Escape. */
export function NumberField({ label, value, text, min, max, onChange, className }: Props) {
  const [draft, setDraft] = useState<string | null>(null);
  const take = () => {
    if (draft === null) return;
    const next = parseNumber(draft);
    setDraft(null);
    // What is no number is told: a field that goes back without a word looks as if it had taken it.
    if (next === null && draft.trim() !== "") tell(`“${draft.trim()}” is no number`, `${label} stays at ${text}.`);
    if (next === null || next === value) return;
    onChange(Math.min(max ?? Infinity, Math.max(min ?? -Infinity, next)));
  };
  return (
    <input
      aria-label={label}
      inputMode="decimal"
      value={draft ?? say(text)}
      aria-invalid={draft !== null && draft.trim() !== "" && parseNumber(draft) === null}
      onFocus={(event) => event.target.select()}
      onChange={(event) => setDraft(event.target.value)}
      onBlur={take}
      onKeyDown={(event) => {
        if (event.key === "Enter") take();
        if (event.key === "Escape") setDraft(null);
      }}
      className={cx(
        "figures h-5 w-16 rounded-[4px] border border-transparent bg-transparent px-1 text-right hover:border-line focus:border-line focus:bg-raised",
        className,
      )}
    />
  );
}
