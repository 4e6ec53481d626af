import { expect, test } from "vitest";
import type { Material } from "../api/types";
import { capturedWidth, keepingSize, unenlarged } from "./finished";

test("pixels of the capture across a tile that is grown beyond its sample", () => {
  const preview = { sample: [0.1, 0, 0.9, 1], view: { size: [2000, 1500] }, tile: [768, 768], work: [230, 230] };
  expect(capturedWidth({ preview } as unknown as Material)).toBeCloseTo((0.8 * 2000 * 768) / 230, 6);
});

test("the size that keeps what was captured, as far as maps go", () => {
  expect(keepingSize(1000)).toEqual({ wide: 1024, whole: true });
  expect(keepingSize(1400)).toEqual({ wide: 1024, whole: true });
  expect(keepingSize(1500)).toEqual({ wide: 2048, whole: true });
  expect(keepingSize(100)).toEqual({ wide: 256, whole: true });
  expect(keepingSize(16000)).toEqual({ wide: 16384, whole: true });
  expect(keepingSize(30000)).toEqual({ wide: 16384, whole: false });
});

test("the scale at which nothing is enlarged", () => {
  expect(unenlarged(280.8, 512, 100)).toBe(54.8);
  expect(unenlarged(512, 512, 60)).toBe(60);
  expect(unenlarged(50, 1024, 100)).toBe(25);
});
