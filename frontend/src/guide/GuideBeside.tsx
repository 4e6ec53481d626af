/** A page of the guide beside the pictures. */
import { ExternalLink, X } from "lucide-react";
import { lazy, Suspense } from "react";
import { useGuide } from "./state";

const Reader = lazy(() => import("./Reader"));

export function GuideBeside() {
  const { page, anchor } = useGuide();
  if (!page) return null;
  return (
    <aside
      aria-label="Guide"
      className="flex h-full w-[348px] shrink-0 flex-col border-l border-line bg-ground max-[899px]:absolute max-[899px]:inset-y-0 max-[899px]:right-0 max-[899px]:z-30"
    >
      <div className="flex h-9 shrink-0 items-center gap-1 px-3">
        <h2 className="flex-1 text-[13px] font-semibold">Guide</h2>
        <a
          href={`/guide/${page}`}
          target="_blank"
          rel="noreferrer"
          aria-label="Open it in a window of its own"
          title="Open it in a window of its own"
          className="rounded-[5px] p-1 text-soft hover:bg-lifted hover:text-text"
        >
          <ExternalLink size={14} />
        </a>
        <button
          type="button"
          aria-label="Shut the guide"
          title="Shut the guide (Esc)"
          onClick={() => useGuide.setState({ page: null })}
          className="rounded-[5px] p-1 text-soft hover:bg-lifted hover:text-text"
        >
          <X size={14} />
        </button>
      </div>
      <div className="min-h-0 flex-1">
        <Suspense fallback={null}>
          <Reader
            narrow
            page={page}
            anchor={anchor}
            onOpen={(next, at) => useGuide.setState({ page: next, anchor: at })}
          />
        </Suspense>
      </div>
    </aside>
  );
}
