/** The guide as it stands in docs/guide, with its pictures: read when it is first opened. */
import { Marked } from "marked";
import { GLOSSARY } from "./glossary";

const TEXTS = import.meta.glob<string>("../../../docs/guide/*.md", { query: "?raw", import: "default", eager: true });
const PICTURES = import.meta.glob<string>("../../../docs/screenshots/*.png", {
  query: "?url",
  import: "default",
  eager: true,
});

const stem = (path: string) => path.replace(/^.*\//, "").replace(/\.\w+$/, "");
const texts = new Map(Object.entries(TEXTS).map(([path, text]) => [stem(path), text]));
const pictures = new Map(Object.entries(PICTURES).map(([path, address]) => [stem(path), address]));

/** In the order they are read; what is for programs and studios comes last. */
const ORDER = [
  "README", "first_job", "gather", "square", "even", "tile", "relief", "response", "check", "pack", "sources", "library",
  "batch", "audit", "hands", "words", "providers", "pipelines", "api", "operation",
]; // prettier-ignore

export interface GuidePage {
  id: string;
  title: string;
}

export const PAGES: GuidePage[] = [...texts.keys()]
  .sort((a, b) => place(a) - place(b))
  .map((id) => ({ id, title: /^# (.+)$/m.exec(texts.get(id)!)?.[1] ?? id }));

function place(id: string): number {
  const at = ORDER.indexOf(id);
  return at < 0 ? ORDER.length : at;
}

/** A heading as an address knows it, the way files on the web do. */
export const anchorOf = (heading: string): string =>
  heading
    .toLowerCase()
    .replace(/[^\p{L}\p{N}\s-]/gu, "")
    .trim()
    .replace(/\s/g, "-");

const marked = new Marked({
  renderer: {
    heading({ tokens, depth, text }) {
      return `<h${depth + 1} id="${anchorOf(text)}">${this.parser.parseInline(tokens)}</h${depth + 1}>`;
    },
    image({ href, text }) {
      const address = pictures.get(stem(href));
      return address ? `<img src="${address}" alt="${text}" loading="lazy" />` : "";
    },
    link({ href, tokens }) {
      const words = this.parser.parseInline(tokens);
      const page = /^([\w]+)\.md(#[\w-]+)?$/.exec(href);
      if (page) return `<a href="/guide/${page[1]}${page[2] ?? ""}">${words}</a>`;
      // What lies elsewhere in the repository is not here.
      return href.startsWith("#") ? `<a href="${href}">${words}</a>` : words;
    },
    table(token) {
      const row = (cells: typeof token.header, tag: string) =>
        `<tr>${cells.map((cell) => `<${tag}>${this.parser.parseInline(cell.tokens)}</${tag}>`).join("")}</tr>`;
      const rows = token.rows.map((cells) => row(cells, "td")).join("");
      return `<div class="table" tabindex="0" role="region" aria-label="Table"><table><thead>${row(token.header, "th")}</thead><tbody>${rows}</tbody></table></div>`;
    },
    code({ text }) {
      const plain = text.replace(/&/g, "&amp;").replace(/</g, "&lt;");
      return `<pre tabindex="0" role="region" aria-label="Lines to type">${plain}</pre>`;
    },
  },
});

/** A page as HTML; null where there is none. The texts ship with the program, nobody else writes any. */
export function pageHtml(id: string): string | null {
  const text = texts.get(id);
  return text === undefined ? null : marked.parse(text.replace(/<!--.*?-->/gs, ""), { async: false });
}

export interface Found {
  page: string;
  title: string;
  anchor: string;
  heading: string;
  excerpt: string;
}

interface Part {
  page: string;
  title: string;
  heading: string;
  text: string;
}

const plain = (text: string) =>
  text
    .replace(/!?\[([^\]]*)\]\([^)]*\)/g, "$1")
    .replace(/[*`#|>]|-{3,}/g, "")
    .replace(/\s+/g, " ")
    .trim();

/** Each word of the glossary can be found by itself. */
const words: Part[] = [...GLOSSARY].map(([word, meaning]) => ({
  page: "words",
  title: "Words",
  heading: word,
  text: meaning,
}));

const parts: Part[] = PAGES.flatMap(({ id, title }) =>
  texts
    .get(id)!
    .split(/^(?=#{1,3} )/m)
    .map((part) => {
      const heading = /^#+ (.+)$/m.exec(part)?.[1] ?? title;
      return { page: id, title, heading, text: plain(part.replace(/^#+ .+$/m, "")) };
    }),
).concat(words);

/** Parts that hold every word, those with it in their heading first. */
export function search(words: string): Found[] {
  const wanted = words.toLowerCase().split(/\s+/).filter(Boolean);
  if (!wanted.length) return [];
  const has = (text: string) => wanted.every((word) => text.toLowerCase().includes(word));
  const score = ({ heading, title, text }: Part) =>
    has(heading) ? 3 : has(`${title} ${heading}`) ? 2 : has(`${title} ${heading} ${text}`) ? 1 : 0;
  return parts
    .map((part) => ({ part, score: score(part) }))
    .filter(({ score }) => score > 0)
    .sort((a, b) => b.score - a.score)
    .slice(0, 30)
    .map(({ part: { page, title, heading, text } }) => {
      const at = Math.max(0, text.toLowerCase().indexOf(wanted[0]!) - 50);
      const excerpt = `${at ? "… " : ""}${text.slice(at, at + 150)}${text.length > at + 150 ? " …" : ""}`;
      return {
        page,
        title,
        heading,
        excerpt,
        anchor: heading === title || GLOSSARY.has(heading) ? "" : anchorOf(heading),
      };
    });
}
