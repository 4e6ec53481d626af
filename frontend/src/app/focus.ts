/** Focus never falls to nowhere: when what had it goes away, what lies nearest to it takes it up. */
import { useEffect, useRef } from "react";

/** The elements round one, from itself outwards. */
function around(element: Element): HTMLElement[] {
  const found: HTMLElement[] = [];
  for (let at: Element | null = element; at && at.id !== "root" && at !== document.body; at = at.parentElement)
    if (at instanceof HTMLElement) found.push(at);
  return found;
}

/** What focus falls back to: controls, and parts of a screen that have a name. */
const PLACES = "a, button, input, [tabindex], section, article, aside, main, nav";

const canTakeIt = (element: HTMLElement) =>
  element.isConnected && !element.matches(":disabled") && element.getClientRects().length > 0;

/** Where somebody begins on a screen: its links past what lies before, else its heading. False while there is neither. */
function arrive(): boolean {
  const first = document.querySelector<HTMLElement>("[data-arrive], h1");
  if (!first) return false;
  if (!first.matches("a, button, [tabindex]")) first.tabIndex = -1;
  first.focus({ preventScroll: true });
  return true;
}

/** place: the screen; whoever comes to another one begins at its beginning. */
export function useKeptFocus(place: string) {
  const lost = useRef(false);
  const before = useRef(place);
  useEffect(() => {
    lost.current ||= before.current !== place;
    before.current = place;
  }, [place]);
  useEffect(() => {
    let path: HTMLElement[] = [];
    const note = () => {
      // Not who was told: it may have handed it on already.
      if (document.activeElement) path = around(document.activeElement);
      lost.current = false;
    };
    let asked = 0;
    const look = () => {
      asked = 0;
      const [last] = path;
      // A click beside everything takes the focus away on purpose.
      if (document.activeElement !== document.body || !(lost.current || (last && !canTakeIt(last)))) return;
      lost.current = true;
      const next = path.find(
        (element) => element.matches(PLACES) && canTakeIt(element) && element.closest("[role=dialog]") === null,
      );
      if (next && !next.matches("a, button, input, [tabindex]")) next.tabIndex = -1;
      if (next) next.focus({ preventScroll: true });
      else arrive();
    };
    // Dialogs give it back by themselves, in the moment after they close.
    const watch = new MutationObserver(() => (asked ||= window.setTimeout(look, 60)));
    watch.observe(document.body, { childList: true, subtree: true, attributes: true, attributeFilter: ["disabled"] });
    addEventListener("focusin", note);
    return () => {
      watch.disconnect();
      clearTimeout(asked);
      removeEventListener("focusin", note);
    };
  }, []);
}
