/** A drag keeps its pointer, wherever it goes. One that keys move cannot be held and needs not be. */
import type { PointerEvent } from "react";

export function holdPointer(event: PointerEvent) {
  try {
    event.currentTarget.setPointerCapture(event.pointerId);
  } catch {
    // No pointer of that number is down: it is moved by keys.
  }
}
