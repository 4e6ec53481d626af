import { expect, test } from "vitest";
import { gradeAfter, movingShare } from "./renderer";

test("while something moves, the picture gets coarser until thirty come a second, never under half", () => {
  let share = 0.6;
  for (let i = 0; i < 12; i++) share = movingShare(share, 60);
  expect(share).toBe(0.5);
});

test("where there is room it gets finer again, up to the whole", () => {
  let share = 0.5;
  for (let i = 0; i < 12; i++) share = movingShare(share, 16);
  expect(share).toBe(1);
});

test("near thirty a second, or after a rest, it stays", () => {
  expect(movingShare(0.7, 33)).toBe(0.7);
  expect(movingShare(0.7, 900)).toBe(0.7);
});

test("what takes long at rest is drawn coarser, but for the first picture, whose shaders are compiled", () => {
  expect(gradeAfter(1, 0, 4000, false)).toBe(1);
  expect(gradeAfter(1, 1, 161, false)).toBe(2);
  expect(gradeAfter(1, 1, 159, false)).toBe(1);
  expect(gradeAfter(1, 1, 319, true)).toBe(1);
  expect(gradeAfter(1, 1, 321, true)).toBe(2);
  expect(gradeAfter(3, 1, 4000, true)).toBe(3);
});
