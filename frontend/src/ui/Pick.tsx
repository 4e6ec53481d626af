import { Check, ChevronDown } from "lucide-react";
import { DropdownMenu } from "radix-ui";
import { type KeyboardEvent, useContext, useRef } from "react";
import { cx } from "./cx";
import { InDialog } from "./inDialog";

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

/** One of many, from a list that opens. The list is a landmark of its own, and what lies around stays within reach. */
export function Pick<T extends string>({ label, value, groups, onChange, className, id, placeholder }: Props<T>) {
  const list = useRef<HTMLDivElement>(null);
  // A dialog keeps the focus to itself, unless what opens on it does so too.
  const modal = useContext(InDialog);
  const chosen = groups.flatMap(({ options }) => options).find((option) => option.value === value);
  // The list opens at what is chosen.
  const opened = () =>
    requestAnimationFrame(() => {
      const at = list.current?.querySelector<HTMLElement>("[aria-selected=true]");
      at?.focus();
      at?.scrollIntoView({ block: "nearest" });
    });
  const keyed = (event: KeyboardEvent) => {
    if (event.key === "Tab") event.preventDefault();
  };
  return (
    <DropdownMenu.Root modal={modal} onOpenChange={(open) => open && opened()}>
      <DropdownMenu.Trigger
        id={id}
        role="combobox"
        aria-haspopup="listbox"
        aria-label={label}
        className={cx(
          "inline-flex h-7 shrink-0 items-center justify-between gap-1 rounded-card whitespace-nowrap border border-line bg-raised px-2.5 text-[13px] hover:bg-lifted",
          className,
        )}
      >
        <span>{chosen?.label ?? placeholder}</span>
        <ChevronDown size={13} className="text-soft" aria-hidden />
      </DropdownMenu.Trigger>
      <DropdownMenu.Portal>
        <section aria-label={label}>
          <DropdownMenu.Content
            ref={list}
            role="listbox"
            aria-label={label}
            aria-labelledby=""
            sideOffset={4}
            align="start"
            onKeyDown={keyed}
            className="z-50 max-h-(--radix-dropdown-menu-content-available-height) min-w-(--radix-dropdown-menu-trigger-width) overflow-y-auto rounded-card border border-line bg-raised p-1 shadow-lg shadow-black/40"
          >
            {groups.map((group, number) => (
              <DropdownMenu.Group key={group.label ?? number} aria-label={group.label}>
                {group.label && (
                  <DropdownMenu.Label aria-hidden className="px-2 pt-1.5 pb-0.5 text-[11.5px] text-soft">
                    {group.label}
                  </DropdownMenu.Label>
                )}
                {group.options.map((option) => (
                  <DropdownMenu.Item
                    key={option.value}
                    role="option"
                    aria-selected={option.value === value}
                    onSelect={() => option.value !== value && onChange(option.value)}
                    className="flex h-7 cursor-pointer items-center justify-between gap-4 rounded-[5px] px-2 text-[13px] outline-none data-[highlighted]:bg-line"
                  >
                    {option.label}
                    {option.value === value && <Check size={13} className="text-amber" aria-hidden />}
                  </DropdownMenu.Item>
                ))}
              </DropdownMenu.Group>
            ))}
          </DropdownMenu.Content>
        </section>
      </DropdownMenu.Portal>
    </DropdownMenu.Root>
  );
}
