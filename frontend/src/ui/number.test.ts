import { expect, test } from "vitest";
import { decimalMark, parseNumber } from "./number";

test.each([
  ["12", 12],
  ["1.5", 1.5],
  ["1,5", 1.5],
  ["−0,25", -0.25],
  ["1.234,5", 1234.5],
  ["1,234.5", 1234.5],
  ["12.345.678", 12345678],
  ["1 234,5", 1234.5],
  ["1'234.5", 1234.5],
  ["0,125", 0.125],
  ["0.125", 0.125],
  [".5", 0.5],
  ["5.", 5],
])("%s is read anywhere", (text, value) => {
  expect(parseNumber(text, "de")).toBe(value);
  expect(parseNumber(text, "en")).toBe(value);
});

test("a single mark before three figures is what it is there", () => {
  expect(parseNumber("1.234", "de")).toBe(1234);
  expect(parseNumber("1.234", "en")).toBe(1.234);
  expect(parseNumber("1,234", "en")).toBe(1234);
  expect(parseNumber("1,234", "de")).toBe(1.234);
  expect([decimalMark("de"), decimalMark("en")]).toEqual([",", "."]);
});

test.each(["", "-", "abc", "1.2.3,4,5", "12,34,5", "1e5", "1.23.456", "--1", "Infinity"])("%s is no number", (text) => {
  expect(parseNumber(text, "de")).toBeNull();
  expect(parseNumber(text, "en")).toBeNull();
});
