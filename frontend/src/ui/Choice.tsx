import { ToggleGroup } from "radix-ui";
import { cx } from "./cx";

interface Props<T extends string> {
  label: string;
  value: T;
  options: { value: T; label: string; hint?: string }[];
  onChange: (value: T) => void;
  stretch?: boolean;
  id?: string;
}

/** One of a few, side by side. */
export function Choice<T extends string>({ label, value, options, onChange, stretch, id }: Props<T>) {
  return (
    <ToggleGroup.Root
      type="single"
      id={id}
      aria-label={label}
      value={value}
      onValueChange={(next) => next && onChange(next as T)}
      className={cx("inline-flex rounded-card bg-raised p-0.5", stretch && "flex w-full")}
    >
      {options.map((option) => (
        <ToggleGroup.Item
          key={option.value}
          value={option.value}
          title={option.hint}
          className={cx(
            "h-6 rounded-[5px] px-1.5 text-[12px] text-soft whitespace-nowrap hover:text-text",
            "data-[state=on]:bg-line data-[state=on]:text-text data-[state=on]:font-medium",
            stretch && "flex-1",
          )}
        >
          {option.label}
        </ToggleGroup.Item>
      ))}
    </ToggleGroup.Root>
  );
}
