import { Switch as Radix } from "radix-ui";

interface Props {
  label: string;
  checked: boolean;
  onChange: (checked: boolean) => void;
  id?: string;
}

export function Switch({ label, checked, onChange, id }: Props) {
  return (
    <Radix.Root
      id={id}
      aria-label={label}
      checked={checked}
      onCheckedChange={onChange}
      className="h-[18px] w-8 shrink-0 rounded-full border border-line bg-raised p-px transition-colors data-[state=checked]:bg-amber"
    >
      <Radix.Thumb className="block size-3.5 rounded-full bg-text transition-transform data-[state=checked]:translate-x-3.5 data-[state=checked]:bg-on-amber" />
    </Radix.Root>
  );
}
