import { X } from "lucide-react";
import { create } from "zustand";
import { Problem } from "../api/client";

interface Notice {
  id: number;
  title: string;
  detail: string;
  grave: boolean;
}

interface Notices {
  shown: Notice[];
  tell: (title: string, detail?: string, grave?: boolean) => void;
  drop: (id: number) => void;
}

let next = 1;

export const useNotices = create<Notices>((set, get) => ({
  shown: [],
  tell: (title, detail = "", grave = false) => {
    const id = next++;
    set({ shown: [...get().shown.slice(-3), { id, title, detail, grave }] });
    // What went wrong stays until it is read.
    if (!grave) setTimeout(() => get().drop(id), 5000);
  },
  drop: (id) => set({ shown: get().shown.filter((notice) => notice.id !== id) }),
}));

export function tell(title: string, detail = "") {
  useNotices.getState().tell(title, detail);
}

/** Shows an error as what happened and what to do. */
export function tellProblem(error: unknown, about = "") {
  const problem =
    error instanceof Problem ? error : new Problem(0, error instanceof Error ? error.message : String(error), "");
  useNotices.getState().tell(about ? `${about}: ${problem.message}` : problem.message, problem.detail, true);
}

export function Notices() {
  const { shown, drop } = useNotices();
  return (
    <div
      role="status"
      aria-live="polite"
      className="pointer-events-none fixed bottom-10 left-1/2 z-50 flex -translate-x-1/2 flex-col gap-2"
    >
      {shown.map((notice) => (
        <div
          key={notice.id}
          className="pointer-events-auto flex w-[420px] items-start gap-3 rounded-card border border-line bg-lifted px-3 py-2 shadow-lg shadow-black/40"
        >
          {notice.grave && (
            <span aria-hidden className="mt-px font-bold">
              !
            </span>
          )}
          <div className="flex-1">
            <p className="font-medium">{notice.title}</p>
            {notice.detail && <p className="text-soft">{notice.detail}</p>}
          </div>
          <button
            type="button"
            aria-label="Close"
            onClick={() => drop(notice.id)}
            className="text-soft hover:text-text"
          >
            <X size={14} />
          </button>
        </div>
      ))}
    </div>
  );
}
