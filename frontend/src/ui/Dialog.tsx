import { X } from "lucide-react";
import { Dialog as Radix } from "radix-ui";
import { type ReactNode, useRef } from "react";
import { cx } from "./cx";
import { InDialog } from "./inDialog";

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
  const before = useRef<Element | null>(null);
  return (
    <Radix.Root open={open} onOpenChange={(next) => !next && onClose()}>
      <Radix.Portal>
        <Radix.Overlay className="fixed inset-0 z-40 bg-black/55" />
        <Radix.Content
          aria-describedby={undefined}
          onOpenAutoFocus={(event) => {
            before.current = document.activeElement;
            // What one is asked first, where there is such a field; else the first thing that does something.
            const inside = event.target as HTMLElement;
            const first =
              inside.querySelector<HTMLElement>("[data-first]") ??
              inside.querySelector<HTMLElement>(
                ":is(a, button, input, textarea, [tabindex='0']):not(:disabled, [data-close], [type=file])",
              );
            if (!first) return;
            event.preventDefault();
            first.focus();
            if (first instanceof HTMLInputElement) first.select();
          }}
          onCloseAutoFocus={(event) => {
            // Back to where it was opened from; without a trigger of its own nobody else does that.
            event.preventDefault();
            if (before.current instanceof HTMLElement && before.current.isConnected) before.current.focus();
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
            <Radix.Close
              data-close
              aria-label="Close"
              className="rounded-card p-1 text-soft hover:bg-lifted hover:text-text"
            >
              <X size={15} />
            </Radix.Close>
          </div>
          <InDialog value={true}>{children}</InDialog>
        </Radix.Content>
      </Radix.Portal>
    </Radix.Root>
  );
}
