// @vitest-environment happy-dom
import { expect, test } from "vitest";
import type { TilingSuggestion } from "../../api/types";
import { titleOf } from "./Suggested";

const found = {
  method: "cut",
  reason: "",
  changes: {},
  square_first: false,
  sure: true,
} as unknown as TilingSuggestion;

test("a method in use suits only where that is sure, whichever it is", () => {
  expect(titleOf(found)).toBe("Cut suits it");
  expect(titleOf({ ...found, sure: false })).toBe("Cut, as far as can be told");
  expect(titleOf({ ...found, method: "joints", sure: false })).toBe("Joints, as far as can be told");
});

test("another one is suggested, and what lies askew is squared before", () => {
  expect(titleOf({ ...found, changes: { "tile.join.method": "joints" }, method: "joints" })).toBe("Suggested: Joints");
  expect(titleOf({ ...found, square_first: true })).toBe("Square it first");
});
