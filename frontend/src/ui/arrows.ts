/** Arrow keys as steps: coarse, or with Shift fine. */
import type { KeyboardEvent } from "react";

/** How far an arrow key moves something, x to the right and y down; null for any other key. The key is used up. */
export function arrowStep(event: KeyboardEvent, coarse: number, fine: number): [number, number] | null {
  const step = event.shiftKey ? fine : coarse;
  const by = (
    { ArrowLeft: [-step, 0], ArrowRight: [step, 0], ArrowUp: [0, -step], ArrowDown: [0, step] } as Record<
      string,
      [number, number]
    >
  )[event.key];
  if (!by) return null;
  event.preventDefault();
  event.stopPropagation();
  return by;
}
