import { expect, it } from "vitest";
import { givenBack } from "./giveBack";

it("moves the strength into the height, whole where it fits", () => {
  expect(givenBack({ steepness: 0.45, strength: 2 }, 0.05, 2)).toEqual({ steepness: 0.9, strength: 1 });
  expect(givenBack({ steepness: 0.45, strength: 0.5 }, 0.05, 2)).toEqual({ steepness: 0.225, strength: 1 });
});

it("leaves with the normal what the height cannot hold, so that the normal stays what it was", () => {
  const { steepness, strength } = givenBack({ steepness: 1.5, strength: 3 }, 0.05, 2);
  expect(steepness).toBe(2);
  expect(steepness * strength).toBeCloseTo(4.5, 2);
  expect(givenBack({ steepness: 0.1, strength: 0.1 }, 0.05, 2)).toEqual({ steepness: 0.05, strength: 0.2 });
});
