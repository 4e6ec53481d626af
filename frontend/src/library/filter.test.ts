/** What is looked for as a query, and what cards say. */
import { describe, expect, it } from "vitest";
import { isFiltered, NO_FILTER, queryOf, stateWords, whenWords, widthWords } from "./filter";

describe("what is looked for", () => {
  it("asks for nothing that was not chosen", () => {
    expect(queryOf(NO_FILTER)).toBe("order=newest");
    expect(isFiltered({ ...NO_FILTER, order: "name", archived: true, words: "  " })).toBe(false);
  });
  it("names everything that was", () => {
    const query = new URLSearchParams(
      queryOf({ ...NO_FILTER, words: " wet slate ", tags: ["roof", "client A"], size: "middle", archived: true }),
    );
    expect(Object.fromEntries(query)).toEqual({
      order: "newest",
      words: "wet slate",
      tags: "roof,client A",
      smallest_mm: "300",
      largest_mm: "1000",
      archived: "1",
    });
    expect(isFiltered({ ...NO_FILTER, tags: ["roof"] })).toBe(true);
    // Open to one side.
    expect(queryOf({ ...NO_FILTER, size: "huge" })).toBe("order=newest&smallest_mm=3000");
    expect(queryOf({ ...NO_FILTER, size: "small" })).toBe("order=newest&largest_mm=300");
  });
});

describe("cards", () => {
  it("say what is not known, and that packed is not settled", () => {
    expect(stateWords({ state: "passed", to_settle: 0, untold: 2 })).toBe("Passed, 2 cannot be told");
    expect(stateWords({ state: "packed", to_settle: 3, untold: 0 })).toBe("Packed, 3 to settle");
    expect(stateWords({ state: "packed", to_settle: 0, untold: 0 })).toBe("Packed");
    expect(stateWords({ state: "to_settle", to_settle: 1, untold: 0 })).toBe("1 to settle");
    expect(stateWords({ state: "as_shot", to_settle: 4, untold: 0 })).toBe("As shot");
  });
  it("tell when", () => {
    const now = new Date(2026, 10, 30, 9, 0).getTime();
    const at = (...when: [number, number, number, number, number]) =>
      whenWords(new Date(...when).getTime() / 1000, now);
    expect(at(2026, 10, 30, 0, 5)).toBe("00:05");
    expect(at(2026, 10, 29, 23, 59)).toBe("yesterday");
    expect(at(2026, 10, 28, 23, 59)).toBe("28 Nov");
    expect(at(2025, 10, 28, 12, 0)).toBe("28 Nov 2025");
  });
  it("tell widths as people say them", () => {
    expect([0, 42.4, 99.6, 450, 1234].map(widthWords)).toEqual(["", "42 mm", "100 mm", "45 cm", "1.2 m"]);
  });
});
