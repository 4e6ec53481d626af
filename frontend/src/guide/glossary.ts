/** What words mean, as docs/guide/words.md says. */
import text from "../../../docs/guide/words.md?raw";
import { say } from "../words/say";

const entries = [...text.replace(/\n {2}(?=\S)/g, " ").matchAll(/^- \*\*(.+?)\*\*: (.+)$/gm)];
export const GLOSSARY: ReadonlyMap<string, string> = new Map(
  entries.map(([, word, meaning]) => [word!.toLowerCase(), meaning!]),
);

interface Spoken {
  meanings: ReadonlyMap<string, string>;
  pattern: RegExp;
}
let spoken: Spoken | null = null;

const escaped = (word: string) => word.replace(/[.*+?^${}()|[\]\\/]/g, "\\$&");
/** The words in the language that is spoken. Longer ones first, so that "ambient occlusion" is not taken for "occlusion". */
function inLanguage(): Spoken {
  if (spoken) return spoken;
  const meanings = new Map([...GLOSSARY].map(([word, meaning]) => [say(word).toLowerCase(), say(meaning)]));
  const words = [...meanings.keys()].sort((a, b) => b.length - a.length).map(escaped);
  const pattern = new RegExp(`(?<![\\p{L}\\p{N}])(${words.join("|")})(?![\\p{L}\\p{N}])`, "giu");
  return (spoken = { meanings, pattern });
}

export interface Piece {
  text: string;
  /** What it means, where it is a word of the glossary. */
  meaning?: string;
}

/** A text, in the language that is spoken, in pieces: words that are explained, and what stands between them. */
export function explained(english: string): Piece[] {
  const { meanings, pattern } = inLanguage();
  const text = say(english);
  const pieces: Piece[] = [];
  let end = 0;
  for (const found of text.matchAll(pattern)) {
    if (found.index > end) pieces.push({ text: text.slice(end, found.index) });
    pieces.push({ text: found[0], meaning: meanings.get(found[0].toLowerCase())! });
    end = found.index + found[0].length;
  }
  if (end < text.length || !pieces.length) pieces.push({ text: text.slice(end) });
  return pieces;
}
