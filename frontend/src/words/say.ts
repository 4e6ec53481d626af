/** Says the words of the program in another language.
 *
 * The sources, of page and program alike, are written in English. A catalogue (one JSON file a language, beside this one)
 * holds every English sentence with what is said instead; {0}, {1} … stand for what is put in. A sentence that arrives made up
 * is recognised by the words around what was put in: so what the program worked out long ago, in whatever order, is said as
 * well. What is not known stays English. Names that people gave stand in elements of `translate="no"`, or between “ ”. */

export type Catalogue = Readonly<Record<string, string>>;

interface Template {
  shape: RegExp;
  /** The words before the first gap and after the last, a quick way to tell that it is not this one. */
  head: string;
  tail: string;
  /** How many characters are words: of two that fit, the one that says more is meant. */
  words: number;
  /** Which numbers the gaps have, in order. */
  gaps: number[];
  said: string;
  /** Gaps that stand between “ ”: names, which stay. */
  names: ReadonlySet<number>;
}

const GAP = /\{(\d+)\}/g;
const MOST_KEPT = 4000;
/** Sentences and facts that were joined are said one by one. */
const BETWEEN = /((?<=[.!?…]) | · | and |, |; |: | \(|\)|(?<=\d) × )/;
const MOST_PARTS = 12;
/** Sentences within sentences. */
const DEEPEST = 5;

interface Language {
  exact: ReadonlyMap<string, string>;
  templates: readonly Template[];
  kept: Map<string, string>;
  decimal: string;
}

let language: Language | null = null;

/** Texts that were asked for and stand in no catalogue: names of materials, and what is missing. */
export const UNSAID = new Set<string>();

const escaped = (text: string) => text.replace(/[.*+?^${}()|[\]\\/]/g, "\\$&");

function templateOf(english: string, said: string): Template {
  const parts = english.split(GAP);
  const gaps = parts.filter((_, i) => i % 2).map(Number);
  const words = parts.filter((_, i) => i % 2 === 0);
  return {
    shape: new RegExp(`^${words.map(escaped).join("(.+?)")}$`, "su"),
    head: words[0]!,
    tail: words.at(-1)!,
    words: words.join("").replace(/[^\p{L}]/gu, "").length,
    gaps,
    said,
    names: new Set(gaps.filter((_, i) => words[i]!.endsWith("“") && words[i + 1]!.startsWith("”"))),
  };
}

/** Takes a language up; null is English, as everything is written. */
export function speak(catalogue: Catalogue | null, decimal = "."): void {
  if (!catalogue) {
    language = null;
    return;
  }
  const exact = new Map<string, string>();
  const templates: Template[] = [];
  for (const [english, said] of Object.entries(catalogue)) {
    if (!said) continue;
    if (english.search(GAP) < 0) exact.set(english, said);
    else templates.push(templateOf(english, said));
  }
  templates.sort((one, other) => other.words - one.words);
  language = { exact, templates, kept: new Map(), decimal };
}

/** Whether another language than English is spoken. */
export const translating = (): boolean => language !== null;

/** A text of the program as it is said in the language that is spoken. */
export function say(text: string): string {
  if (!language || !text) return text;
  const kept = language.kept.get(text);
  if (kept !== undefined) return kept;
  const [, before, core, after] = /^(\s*)(.*?)(\s*)$/su.exec(text)!;
  const known = core ? (sentence(core, 0, true) ?? inParts(core, 0) ?? sentence(core, 0)) : "";
  if (known === null && /\p{L}{3}/u.test(core!) && UNSAID.size < MOST_KEPT) UNSAID.add(core!);
  const said = before! + (known ?? core!) + after!;
  if (language.kept.size >= MOST_KEPT) language.kept.clear();
  language.kept.set(text, said);
  return said;
}

const UNITS = "%|°|×|px|mm|cm|m|ms|s|EV|MB|GB|kB|MP";
/** Figures alone, with their units. */
const FIGURES = new RegExp(`^[-−+±]?\\d+\\.\\d(?:[ \\d.,×–/-]|${UNITS})*$`, "u");
/** A word with a figure after it. */
const WITH_FIGURE = new RegExp(`^(.*[^\\s\\d]) ([-−+±]?\\d[\\d.,]*(?: ?(?:${UNITS}))?)$`, "su");
/** Where one sentence or fact ends and the next begins. */
const JOINED = /[.!?…:;] | · /u;

/** One sentence as it is said, null if it is not known. Whole: nothing that is put in may be several sentences itself. */
function sentence(text: string, depth: number, whole = false): string | null {
  if (!text) return null;
  const { exact, templates, decimal } = language!;
  const known = exact.get(text) ?? asWritten(text);
  if (known !== undefined) return known;
  if (FIGURES.test(text)) return text.replace(/(\d)\.(\d)/g, `$1${decimal}$2`);
  if (depth > DEEPEST || !/\p{L}/u.test(text)) return null;
  for (const one of templates) {
    if (!text.startsWith(one.head) || !text.endsWith(one.tail) || !one.words) continue;
    const found = one.shape.exec(text);
    if (!found || found.slice(1).some(opensElsewhere) || (whole && found.slice(1).some((part) => JOINED.test(part))))
      continue;
    const put = new Map(
      one.gaps.map((gap, i) => {
        const part = found[i + 1]!;
        return [gap, one.names.has(gap) ? part : (sentence(part, depth + 1) ?? inParts(part, depth + 1) ?? part)];
      }),
    );
    return one.said.replace(GAP, (_, gap) => put.get(Number(gap)) ?? "");
  }
  const [, word, figure] = WITH_FIGURE.exec(text) ?? [];
  const said = word && (exact.get(word) ?? asWritten(word));
  return said ? `${said} ${figure!.replace(/(\d)\.(\d)/g, `$1${decimal}$2`)}` : inside(text, depth);
}

/** Whether a part closes a bracket that it did not open: what was put in is more than this. */
const opensElsewhere = (part: string) => {
  const [opening, closing] = [part.indexOf("("), part.indexOf(")")];
  return closing >= 0 && (opening < 0 || closing < opening);
};

/** What stands in brackets, after a figure, or lost its full stop, said as what it is. */
function inside(text: string, depth: number): string | null {
  const said = (part: string) => sentence(part, depth + 1, true);
  const [, enclosed] = /^\((.*)\)$/su.exec(text) ?? [];
  if (enclosed) return withRoom(said(enclosed), (one) => `(${one})`);
  const [, figure, counted] = /^([^\p{L}]*\d[\d.,]*) (\p{L}.*)$/su.exec(text) ?? [];
  const what = counted && (language!.exact.get(counted) ?? asWritten(counted));
  if (what) return `${figure} ${what}`;
  if (text.endsWith(".") && !text.endsWith("..")) return withRoom(said(text.slice(0, -1)), (one) => `${one}.`);
  const whole = language!.exact.get(`${text}.`) ?? asWritten(`${text}.`);
  return whole?.endsWith(".") ? whole.slice(0, -1) : null;
}

const withRoom = (text: string | null, round: (text: string) => string) => (text === null ? null : round(text));

/** A word that stands in the catalogue with another first letter: "base colour" for "Base colour". */
function asWritten(text: string): string | undefined {
  const first = text[0]!;
  const other = first === first.toLowerCase() ? first.toUpperCase() : first.toLowerCase();
  return other === first ? undefined : language!.exact.get(other + text.slice(1));
}

/** Several sentences or facts in one text, each said by itself, the longest that is known first; null where none is known. */
function inParts(text: string, depth: number): string | null {
  if (depth > DEEPEST) return null;
  const parts = text.split(BETWEEN);
  if (parts.length < 3) return null;
  let known = false;
  let said = "";
  for (let start = 0; start < parts.length;) {
    let end = Math.min(parts.length, start + MOST_PARTS * 2 - 1);
    let one: string | null = null;
    for (; end > start && one === null; end -= 2) {
      if (end - start === parts.length) continue;
      one = sentence(parts.slice(start, end).join(""), depth + 1, true);
    }
    end = one === null ? start + 1 : end + 2;
    known ||= one !== null;
    const between = parts[end] ?? "";
    said += (one ?? parts[start]!) + (between === " and " ? ` ${language!.exact.get("and") ?? "and"} ` : between);
    start = end + 1;
  }
  return known ? said : null;
}
