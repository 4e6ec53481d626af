/** What words mean, as docs/guide/words.md says. */
import text from "../../../docs/guide/words.md?raw";

const entries = [...text.replace(/\n {2}(?=\S)/g, " ").matchAll(/^- \*\*(.+?)\*\*: (.+)$/gm)];
export const GLOSSARY: ReadonlyMap<string, string> = new Map(
  entries.map(([, word, meaning]) => [word!.toLowerCase(), meaning!]),
);

const escaped = (word: string) => word.replace(/[.*+?^${}()|[\]\\/]/g, "\\$&");
/** Longer words first, so that "ambient occlusion" is not taken for "occlusion". */
const pattern = new RegExp(
  `(?<![\\p{L}\\p{N}])(${[...GLOSSARY.keys()]
    .sort((a, b) => b.length - a.length)
    .map(escaped)
    .join("|")})(?![\\p{L}\\p{N}])`,
  "giu",
);

export interface Piece {
  text: string;
  /** What it means, where it is a word of the glossary. */
  meaning?: string;
}

/** A text in pieces: words that are explained, and what stands between them. */
export function explained(text: string): Piece[] {
  const pieces: Piece[] = [];
  let end = 0;
  for (const found of text.matchAll(pattern)) {
    if (found.index > end) pieces.push({ text: text.slice(end, found.index) });
    pieces.push({ text: found[0], meaning: GLOSSARY.get(found[0].toLowerCase())! });
    end = found.index + found[0].length;
  }
  if (end < text.length || !pieces.length) pieces.push({ text: text.slice(end) });
  return pieces;
}
