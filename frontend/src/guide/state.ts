/** The guide beside the pictures: which page of it is open, if any. */
import { create } from "zustand";

export const useGuide = create<{ page: string | null; anchor: string }>(() => ({ page: null, anchor: "" }));

/** Opens a page beside the pictures, or shuts the guide where that page is open. */
export function toggleGuide(page: string) {
  useGuide.setState(({ page: open }) => ({ page: open === page ? null : page, anchor: "" }));
}
