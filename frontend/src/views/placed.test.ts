import { describe, expect, it } from "vitest";
import { placed } from "./placed";

describe("a tile placed on the picture", () => {
  it("leaves room for the overlap and keeps its shape", () => {
    const made = placed([0.1, 0.2, 0.5, 0.6], [0.2, 0.1], [1000, 1000], 1, 1);
    expect(made).toEqual({
      "square.crop.left": 10,
      "square.crop.top": 20,
      "square.crop.right": 58,
      "square.crop.bottom": 64,
      "square.flat.stretch": 1,
    });
  });

  it("stretches what is not of the wanted shape", () => {
    // 400 px wide and 500 px high is to become square: the width counts 1.25 times.
    expect(placed([0, 0, 0.4, 0.5], [0, 0], [1000, 1000], 1, 1)["square.flat.stretch"]).toBe(1.25);
    expect(placed([0, 0, 0.4, 0.4], [0, 0], [1000, 1000], 1, 2)["square.flat.stretch"]).toBe(2);
  });

  it("stays within the picture", () => {
    const made = placed([0.5, 0.5, 1.2, 1.2], [0.25, 0.25], [1000, 1000], 1, 1);
    expect(made["square.crop.right"]).toBeLessThanOrEqual(100);
    expect(made["square.crop.bottom"]).toBeLessThanOrEqual(100);
  });
});
