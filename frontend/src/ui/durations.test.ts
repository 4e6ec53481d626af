import { expect, it } from "vitest";
import { aboutTime } from "./durations";

it("tells a time in steps of 5 s, and from a minute on in minutes", () => {
  expect([0, 7.4, 7.6, 57.4, 60, 89, 91, 671].map(aboutTime)).toEqual([
    "about 5 s",
    "about 5 s",
    "about 10 s",
    "about 55 s",
    "about 1 min",
    "about 1 min",
    "about 2 min",
    "about 11 min",
  ]);
});
