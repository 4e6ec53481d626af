import { expect, it } from "vitest";
import { fineGivenBack, givenBack } from "./giveBack";

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

const none = { crispness: 0, crisp_size: 0.4, detail: 0 };

it("moves finest relief and detail into the height", () => {
  const { normal, held } = fineGivenBack({ crispness: 50, crisp_size: 0.8, detail: 1.5 }, none);
  expect(held).toEqual({ crispness: 50, crisp_size: 0.8, detail: 1.5 });
  expect(normal).toEqual({ crispness: 0, crisp_size: 0.8, detail: 0 });
});

it("multiplies what the height holds already, and leaves what is too much", () => {
  const { normal, held } = fineGivenBack(
    { crispness: 100, crisp_size: 0.4, detail: 3 },
    { ...none, crispness: 100, detail: 2 },
  );
  expect(held).toEqual({ crispness: 200, crisp_size: 0.4, detail: 4 });
  expect((1 + held.crispness / 100) * (1 + normal.crispness / 100)).toBeCloseTo(4, 2);
  expect(normal.detail).toBe(1);
});
