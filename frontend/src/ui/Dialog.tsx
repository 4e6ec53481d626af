import { X } from "lucide-react";
import { Dialog as Radix } from "radix-ui";
import type { ReactNode } from "react";
import { cx } from "./cx";

interface Props {
  title: string;
  about?: string;
  open: boolean;
  onClose: () => void;
  /** Room for a table. */
  wide?: boolean;
  children: ReactNode;
}

export function Dialog({ title, about, open, onClose, wide = false, children }: Props) {
  return (
    <Radix.Root open={open} onOpenChange={(next) => !next && onClose()}>
      <Radix.Portal>
        <Radix.Overlay className="fixed inset-0 z-40 bg-black/55" />
        <Radix.Content
          aria-describedby={undefined}
          onOpenAutoFocus={(event) => {
            // What one is asked first, where there is such a field; else the first thing that can be reached.
            const first = (event.target as HTMLElement).querySelector<HTMLElement>("[data-first]");
            if (!first) return;
            event.preventDefault();
            first.focus();
            if (first instanceof HTMLInputElement) first.select();
          }}
          className={cx(
            "fixed top-1/2 left-1/2 z-50 max-h-[86vh] max-w-[94vw] -translate-x-1/2 -translate-y-1/2 overflow-auto rounded-[10px] border border-line bg-ground p-5 shadow-2xl shadow-black/50",
            wide ? "w-[1080px]" : "w-[640px]",
          )}
        >
          <div className="mb-3 flex items-start justify-between gap-4">
            <div>
              <Radix.Title className="text-[15px] font-semibold">{title}</Radix.Title>
              {about && <p className="text-soft">{about}</p>}
            </div>
            <Radix.Close aria-label="Close" className="rounded-card p-1 text-soft hover:bg-lifted hover:text-text">
              <X size={15} />
            </Radix.Close>
          </div>
          {children}
        </Radix.Content>
      </Radix.Portal>
    </Radix.Root>
  );
}
