/** One by one, a range, or all. */
import { beforeEach, expect, it } from "vitest";
import { chooseOnly, chooseRange, toggle, useChosen } from "./chosen";

const ALL = ["a", "b", "c", "d", "e"];
const ids = () => useChosen.getState().ids;

beforeEach(() => useChosen.setState({ ids: null, from: null, job: null }));

it("takes one and lets it go", () => {
  toggle("b", 1);
  toggle("d", 3);
  expect(ids()).toEqual(["b", "d"]);
  toggle("b", 1);
  expect(ids()).toEqual(["d"]);
});

it("takes what lies between the last one and another, either way, and keeps the rest", () => {
  toggle("d", 3);
  chooseRange(ALL, 1);
  expect(ids()).toEqual(["d", "b", "c"]);
  // The next range begins where the first one did.
  chooseRange(ALL, 4);
  expect(ids()).toEqual(["d", "b", "c", "e"]);
});

it("takes a list as it is, each once", () => {
  chooseOnly(["a", "b", "a"]);
  expect(ids()).toEqual(["a", "b"]);
});
