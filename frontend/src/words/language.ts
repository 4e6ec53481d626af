/** Which language is spoken: what was chosen in this browser, or else what the browser asks for. */
import { type Catalogue, speak, UNSAID } from "./say";

/** A file of this name lies beside this one, but for English. */
export const LANGUAGES: Readonly<Record<string, string>> = { en: "English", de: "Deutsch" };

const catalogues = import.meta.glob<Catalogue>("./*.json", { import: "default" });
const KEPT = "language";

/** The language that was chosen in this browser, if one was. */
export const chosenLanguage = (): string | undefined => globalThis.localStorage?.getItem(KEPT) ?? undefined;

export function spokenLanguage(): string {
  const wanted = [chosenLanguage() ?? "", ...(globalThis.navigator?.languages ?? [])].map((tag) => tag.split("-")[0]!);
  return wanted.find((tag) => tag in LANGUAGES) ?? "en";
}

/** The tag dates and numbers are written by. */
export const localeTag = (): string => {
  const language = spokenLanguage();
  return language === "en" ? "en-GB" : language;
};

/** Takes the language up that is wanted, before the first element is made. Without its catalogue English is spoken. */
export async function beginSpeaking(): Promise<void> {
  const language = spokenLanguage();
  const read = catalogues[`./${language}.json`];
  const catalogue = read ? await read().catch(() => null) : null;
  const decimal = new Intl.NumberFormat(language).formatToParts(1.5).find(({ type }) => type === "decimal");
  speak(catalogue, decimal?.value);
  document.documentElement.lang = catalogue ? language : "en";
  if (catalogue) Object.assign(window, { unsaid: UNSAID });
}

/** Keeps another language and shows the page in it. */
export function chooseLanguage(language: string): void {
  localStorage.setItem(KEPT, language);
  location.reload();
}
