import { useState } from "react";
import { cx } from "./cx";

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
    const next = Number(draft.trim().replace(",", ".").replace("−", "-"));
    setDraft(null);
    if (draft.trim() === "" || !Number.isFinite(next) || next === value) return;
    onChange(Math.min(max ?? Infinity, Math.max(min ?? -Infinity, next)));
  };
  return (
    <input
      aria-label={label}
      inputMode="decimal"
      value={draft ?? text}
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
