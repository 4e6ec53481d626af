/** Parts of the page drawn without a browser: the real declarations, the real store, a service that takes every edit. */
import { QueryClient, QueryClientProvider } from "@tanstack/react-query";
import { cleanup, render } from "@testing-library/react";
import userEvent from "@testing-library/user-event";
import { inject, vi } from "vitest";
import { keepAbout } from "../api/about";
import { api } from "../api/client";
import type { Changes, Material, SettingPath } from "../api/types";
import { useEditor } from "../editor/store";

export const about = inject("about");

/** Nothing is laid out here; what asks for it gets nothing, and what Radix needs is there. */
class Watcher {
  observe() {}
  unobserve() {}
  disconnect() {}
}
vi.stubGlobal("ResizeObserver", Watcher);
Element.prototype.scrollIntoView ??= () => {};
Element.prototype.hasPointerCapture ??= () => false;
Element.prototype.setPointerCapture ??= () => {};
Element.prototype.releasePointerCapture ??= () => {};

export const material = (more: Partial<Material> = {}): Material =>
  ({
    id: "m",
    name: "Slate",
    revision: 1,
    undo: null,
    redo: null,
    archived: false,
    files: [],
    keys: {},
    preview: { finished: [1024, 512], tile: [768, 384], work: [768, 768], tile_mm: null },
    recipe: { version: 2, operations: {} },
    ...more,
  }) as unknown as Material;

export interface Edit {
  changes: Changes;
  label: string;
  gesture: string;
}

/** Opens a material with these settings; says what was asked of the service since. */
export function opened(settings: Partial<Record<SettingPath, unknown>> = {}, more: Partial<Material> = {}): Edit[] {
  keepAbout(about);
  const operations: Record<string, Record<string, unknown>> = {};
  const put = (path: string, value: unknown) => {
    const cut = path.lastIndexOf(".");
    (operations[path.slice(0, cut)] ??= {})[path.slice(cut + 1)] = value;
  };
  for (const [path, value] of Object.entries(settings)) put(path, value);
  const now = (revision: number) =>
    material({ ...more, revision, recipe: { version: 2, operations: structuredClone(operations) } as never });
  const edits: Edit[] = [];
  let revision = 1;
  vi.spyOn(api, "about").mockResolvedValue(about);
  vi.spyOn(api, "material").mockImplementation(async () => now(revision));
  vi.spyOn(api, "edit").mockImplementation(async (_id, { changes, label = "", gesture = "" }) => {
    edits.push({ changes, label, gesture });
    for (const [path, value] of Object.entries(changes)) {
      if (value === null)
        delete operations[path.slice(0, path.lastIndexOf("."))]?.[path.slice(path.lastIndexOf(".") + 1)];
      else put(path, value);
    }
    revision += 1;
    return { material: now(revision), picture: null };
  });
  useEditor.setState({ about, material: now(1), pending: {}, saving: false, missing: null, unsaved: null });
  return edits;
}

/** Draws a part of the page; the hands that use it. */
export function drawn(part: React.ReactElement) {
  cleanup();
  const queries = new QueryClient({ defaultOptions: { queries: { retry: false } } });
  return {
    ...render(<QueryClientProvider client={queries}>{part}</QueryClientProvider>),
    user: userEvent.setup({ delay: null, pointerEventsCheck: 0 }),
  };
}
