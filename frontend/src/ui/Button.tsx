import type { ButtonHTMLAttributes } from "react";
import { cx } from "./cx";

interface Props extends ButtonHTMLAttributes<HTMLButtonElement> {
  look?: "plain" | "main" | "quiet";
}

const LOOKS = {
  plain: "bg-raised border-line hover:bg-lifted",
  main: "bg-amber text-on-amber border-transparent font-semibold hover:brightness-110",
  quiet: "border-transparent text-soft hover:text-text hover:bg-lifted",
};

export function Button({ look = "plain", className, ...rest }: Props) {
  return (
    <button
      type="button"
      className={cx(
        "inline-flex h-7 items-center justify-center gap-1.5 rounded-card border px-2.5 text-[13px] whitespace-nowrap",
        "transition-colors disabled:pointer-events-none disabled:opacity-45",
        LOOKS[look],
        className,
      )}
      {...rest}
    />
  );
}
