/** Numbers as people type them. */
import { chosenLanguage } from "../words/language";

/** The mark before decimals: in the language that was chosen, or else where somebody lives. */
export const decimalMark = (locale: string | undefined = chosenLanguage()): string =>
  new Intl.NumberFormat(locale).formatToParts(1.5).find(({ type }) => type === "decimal")?.value ?? ".";

/** The number a text says, null where it says none. Both "1.234,5" and "1,234.5" are read; where only one kind of mark is
 * there, once, with three figures after it, it is what it is in that place: "1.234" is 1234 in German, 1.234 in English. */
export function parseNumber(text: string, locale?: string): number | null {
  const plain = text
    .trim()
    .replace(/[−–]/g, "-")
    .replace(/[\s'’_\u00a0\u202f]/g, "");
  if (!/^[+-]?[\d.,]*\d[.,]?$/.test(plain)) return null;
  const [points, commas] = [plain.split(".").length - 1, plain.split(",").length - 1];
  let decimal = ".";
  if (points && commas) decimal = plain.lastIndexOf(".") > plain.lastIndexOf(",") ? "." : ",";
  else if (points > 1 || commas > 1) decimal = points > 1 ? "," : ".";
  else if (/^[+-]?[1-9]\d{0,2}[.,]\d{3}$/.test(plain)) decimal = decimalMark(locale);
  else if (commas) decimal = ",";
  const group = decimal === "." ? "," : ".";
  const whole = plain.split(group).join("").replace(decimal, ".");
  const groups = plain.replace(/^[+-]/, "").split(decimal)[0]!.split(group);
  if (groups.length > 1 && groups.some((part, i) => (i ? part.length !== 3 : part.length > 3))) return null;
  if (plain.split(decimal).length > 2) return null;
  const value = Number(whole);
  return Number.isFinite(value) ? value : null;
}
