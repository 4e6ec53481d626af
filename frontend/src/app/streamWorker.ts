/** One line to the service for all pages of a browser, which opens no more than six connections to one address: each page
 * with a line of its own would leave the seventh page none for its pictures. */
import { openStream, type Told } from "./stream";

declare const self: { onconnect: ((event: MessageEvent) => void) | null };

const pages = new Set<MessagePort>();
let opened = false;
let up = false;

const toAll = (message: unknown) => {
  for (const page of pages) page.postMessage(message);
};

self.onconnect = (event) => {
  const page = event.ports[0];
  if (!page) return;
  pages.add(page);
  page.onmessage = () => pages.delete(page);
  if (up) page.postMessage({ kind: "back", data: null });
  if (opened) return;
  opened = true;
  const hear = (told: Told) => {
    if (told.kind === "away") up = false;
    toAll(told);
  };
  openStream(hear, () => {
    up = true;
    toAll({ kind: "back", data: null });
  });
};
