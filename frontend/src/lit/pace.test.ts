import { expect, test } from "vitest";
import { movingShare } from "./renderer";

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
