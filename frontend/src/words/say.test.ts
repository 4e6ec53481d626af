import { afterEach, expect, test } from "vitest";
import german from "./de.json";
import { say, speak, UNSAID } from "./say";

afterEach(() => speak(null));

const SMALL = {
  "{0} places": "{0} Stellen",
  "{0} places are filled": "{0} Stellen sind gefüllt",
  "{0} of {1}": "{0} von {1}",
  "{1} before {0}": "{0} nach {1}",
  "Base colour": "Grundfarbe",
  Height: "Höhe",
  "Nothing left to settle.": "Nichts mehr zu klären.",
  "There is no profile “{0}”.": "Es gibt kein Profil „{0}“.",
  "Read from the {0}": "Gelesen aus: {0}",
  blotches: "Flecken",
};

test("nothing is changed while English is spoken", () => {
  expect(say("3 places")).toBe("3 places");
});

test("a sentence is recognised by the words around what was put in", () => {
  speak(SMALL, ",");
  expect(say("12 places")).toBe("12 Stellen");
  expect(say("1.25 of 3")).toBe("1,25 von 3");
  expect(say("a before b")).toBe("b nach a");
});

test("of two shapes that fit, the one that says more is meant", () => {
  speak(SMALL, ",");
  expect(say("12 places are filled")).toBe("12 Stellen sind gefüllt");
});

test("what was put in is said as well, but for names between quotes", () => {
  speak(SMALL, ",");
  expect(say("Read from the base colour")).toBe("Gelesen aus: Grundfarbe");
  expect(say("There is no profile “Height”.")).toBe("Es gibt kein Profil „Height“.");
});

test("joined sentences and figures are said part by part; room around stays", () => {
  speak(SMALL, ",");
  expect(say(" Height: 3 places, blotches 1.27 ")).toBe(" Höhe: 3 Stellen, Flecken 1,27 ");
  expect(say("Nothing left to settle. 4 of 5")).toBe("Nichts mehr zu klären. 4 von 5");
});

test("parts with nothing in them are nothing", () => {
  speak(SMALL, ",");
  expect(say("Gather (1), ")).toBe("Gather (1), ");
  expect(say("Height (1)")).toBe("Höhe (1)");
});

test("what is not known stays, and is noted", () => {
  speak(SMALL, ",");
  expect(say("Slate shingles, south roof")).toBe("Slate shingles, south roof");
  expect(UNSAID.has("Slate shingles, south roof")).toBe(true);
  expect(say("v0.1 of a file.png")).not.toContain("0,1");
});

test("German has every sentence, with the same gaps and no quotes of English", () => {
  const gaps = (text: string) => [...text.matchAll(/\{\d+\}/g)].map(String).sort();
  for (const [english, said] of Object.entries(german as Record<string, string>)) {
    expect(said, english).not.toBe("");
    expect(gaps(said), english).toEqual(gaps(english));
    if (said !== english) expect(said, english).not.toContain("”");
  }
});

test("facts of the program come out whole in German", () => {
  speak(german, ",");
  expect(
    say(
      "The pattern returns every 512 px across (prominence 0.25) and 512 px down (prominence 0.22). 1 × 1 repeats fit the tile.",
    ),
  ).toBe(
    "Das Muster kehrt alle 512 px quer (Ausprägung 0,25) und 512 px längs (Ausprägung 0,22) wieder. 1 × 1 Wiederholungen passen in die Kachel.",
  );
  expect(say("perhaps: strongest place 0.97, blotches 0.63")).toBe("vielleicht: stärkste Stelle 0,97, Flecken 0,63");
  expect(say("Check (7)")).toBe("Prüfen (7)");
  expect(say("Deck planks, tender barge")).toBe("Deck planks, tender barge");
});
