import { Check, ChevronDown } from "lucide-react";
import { Select } from "radix-ui";
import { cx } from "./cx";

export interface PickGroup<T extends string> {
  label?: string;
  options: { value: T; label: string }[];
}

interface Props<T extends string> {
  label: string;
  value: T;
  groups: PickGroup<T>[];
  onChange: (value: T) => void;
  className?: string;
  id?: string;
  /** Shown while nothing is chosen: for a list that does something with what is chosen. */
  placeholder?: string;
}

/** One of many, from a list that opens. */
export function Pick<T extends string>({ label, value, groups, onChange, className, id, placeholder }: Props<T>) {
  return (
    <Select.Root value={value} onValueChange={(next) => onChange(next as T)}>
      <Select.Trigger
        id={id}
        aria-label={label}
        className={cx(
          "inline-flex h-7 shrink-0 items-center justify-between gap-1 rounded-card whitespace-nowrap border border-line bg-raised px-2.5 text-[13px] hover:bg-lifted",
          className,
        )}
      >
        <Select.Value placeholder={placeholder} />
        <Select.Icon>
          <ChevronDown size={13} className="text-soft" />
        </Select.Icon>
      </Select.Trigger>
      <Select.Portal>
        <Select.Content
          position="popper"
          sideOffset={4}
          className="z-50 max-h-(--radix-select-content-available-height) min-w-(--radix-select-trigger-width) overflow-hidden rounded-card border border-line bg-raised p-1 shadow-lg shadow-black/40"
        >
          <Select.Viewport>
            {groups.map((group, number) => (
              <Select.Group key={group.label ?? number}>
                {group.label && (
                  <Select.Label className="px-2 pt-1.5 pb-0.5 text-[11.5px] text-soft">{group.label}</Select.Label>
                )}
                {group.options.map((option) => (
                  <Select.Item
                    key={option.value}
                    value={option.value}
                    className="flex h-7 cursor-pointer items-center justify-between gap-4 rounded-[5px] px-2 text-[13px] outline-none data-[highlighted]:bg-line"
                  >
                    <Select.ItemText>{option.label}</Select.ItemText>
                    <Select.ItemIndicator>
                      <Check size={13} className="text-amber" />
                    </Select.ItemIndicator>
                  </Select.Item>
                ))}
              </Select.Group>
            ))}
          </Select.Viewport>
        </Select.Content>
      </Select.Portal>
    </Select.Root>
  );
}
