/** Says that the program cannot be reached, as long as that is so. The line comes back by itself. */
import { Unplug } from "lucide-react";
import { useCallback, useEffect, useRef, useState } from "react";
import { useAnnounced } from "./events";

/** A line that breaks off and is up again at once is nobody's concern. */
const LEFT_ALONE_MS = 2500;

export function Away() {
  const [away, setAway] = useState(false);
  const timer = useRef<ReturnType<typeof setTimeout> | undefined>(undefined);
  useEffect(() => () => clearTimeout(timer.current), []);
  useAnnounced(
    "away",
    useCallback(() => {
      timer.current ??= setTimeout(() => {
        // It may be the line alone that is gone.
        fetch("/healthz").then(
          () => (timer.current = undefined),
          () => setAway(true),
        );
      }, LEFT_ALONE_MS);
    }, []),
  );
  useAnnounced(
    "back",
    useCallback(() => {
      clearTimeout(timer.current);
      timer.current = undefined;
      setAway(false);
    }, []),
  );
  if (!away) return null;
  return (
    <p
      role="alert"
      className="fixed top-0 left-1/2 z-50 flex -translate-x-1/2 items-center gap-2 rounded-b-card border border-t-0 border-line bg-lifted px-3 py-1 shadow-lg shadow-black/40"
    >
      <Unplug size={14} className="text-amber" aria-hidden />
      <span>
        <b className="font-semibold">The program cannot be reached.</b> Changes of the open material are kept on this
        page until it is back.
      </span>
    </p>
  );
}
