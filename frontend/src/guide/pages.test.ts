// @vitest-environment happy-dom
/** The guide as it ships: every link leads somewhere, every stage has its page, what is looked for is found. */
import { expect, test } from "vitest";
import { STAGE_NAMES } from "../views/names";
import { explained, GLOSSARY } from "./glossary";
import { anchorOf, pageHtml, PAGES, search } from "./pages";

const documents = new Map(
  PAGES.map(({ id }) => [id, new DOMParser().parseFromString(pageHtml(id)!, "text/html")] as const),
);

test("every link within the guide leads to a page, and to a heading of it", () => {
  let links = 0;
  for (const [id, page] of documents)
    for (const link of page.querySelectorAll("a")) {
      const [to, at] = link.getAttribute("href")!.replace("/guide/", "").split("#");
      const there = documents.get(to || id);
      expect(there, `${id}: ${link.outerHTML}`).toBeDefined();
      if (at) expect(there!.getElementById(at), `${id}: #${at}`).not.toBeNull();
      links++;
    }
  expect(links).toBeGreaterThan(20);
});

test("every stage has a page, with a picture that ships", () => {
  for (const stage of Object.keys(STAGE_NAMES)) {
    const picture = documents.get(stage)!.querySelector("img")!;
    expect(picture.getAttribute("src"), stage).toMatch(/\.png/);
    expect(picture.getAttribute("alt"), stage).not.toBe("");
  }
  expect(pageHtml("nothing")).toBeNull();
});

test("headings come before texts, and a word of the glossary is found by itself", () => {
  expect(search("joints")[0]!.heading.toLowerCase()).toContain("joints");
  expect(search("mip").some(({ page, heading }) => page === "words" && heading === "mip")).toBe(true);
  expect(search("zebra crossing")).toEqual([]);
  expect(search("  ")).toEqual([]);
  expect(anchorOf("Tile sets, and more")).toBe("tile-sets-and-more");
});

test("longer words are taken whole, and only whole words", () => {
  const [first, ...rest] = explained("Ambient occlusion of the surface");
  expect(first).toEqual({ text: "Ambient occlusion", meaning: GLOSSARY.get("ambient occlusion") });
  expect(rest.every(({ meaning }) => !meaning)).toBe(true);
  expect(explained("Tiled heightened").every(({ meaning }) => !meaning)).toBe(true);
  expect(explained("Y− or Y+").filter(({ meaning }) => meaning)).toHaveLength(2);
  expect(explained("")).toEqual([{ text: "" }]);
});
