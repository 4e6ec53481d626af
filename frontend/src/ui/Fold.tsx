import { ChevronRight } from "lucide-react";
import { Collapsible } from "radix-ui";
import { type ReactNode, useState } from "react";

interface Props {
  title: string;
  note?: string;
  open?: boolean;
  children: ReactNode;
}

/** A part of the settings that opens; its note says what is in there while it is shut. */
export function Fold({ title, note, open = false, children }: Props) {
  const [shown, setShown] = useState(open);
  return (
    <Collapsible.Root open={shown} onOpenChange={setShown} className="border-t border-line">
      <Collapsible.Trigger className="group flex h-8 w-full items-center justify-between gap-2 text-left">
        <span className="flex items-center gap-1 font-medium">
          <ChevronRight size={13} className="text-soft transition-transform group-data-[state=open]:rotate-90" />
          {title}
        </span>
        {note && <span className="truncate text-[12px] text-soft">{note}</span>}
      </Collapsible.Trigger>
      <Collapsible.Content className="pb-2">{children}</Collapsible.Content>
    </Collapsible.Root>
  );
}
