import { expect, it } from "vitest";
import { sizeText } from "./bytes";

it("tells sizes in the unit that keeps them short", () => {
  expect([0, 999, 1000, 34_210_000, 999_949_000, 999_960_000, 2.5e12].map(sizeText)).toEqual([
    "0 bytes",
    "999 bytes",
    "1.0 kB",
    "34.2 MB",
    "999.9 MB",
    "1.0 GB",
    "2.5 TB",
  ]);
});
