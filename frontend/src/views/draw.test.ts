import { expect, test } from "vitest";
import { tileAt } from "./draw";

test("tiles of a set lie in no order, each about as often", () => {
  const counts = [0, 0, 0, 0];
  let same = 0;
  for (let row = -20; row < 20; row++)
    for (let column = -20; column < 20; column++) {
      const tile = tileAt(column, row, 4);
      counts[tile]!++;
      if (tile === tileAt(column + 1, row, 4)) same++;
      expect(tile).toBe(tileAt(column, row, 4));
    }
  // 400 each are expected, a quarter of the neighbours alike; four standard deviations are 69.
  for (const count of counts) expect(Math.abs(count - 400)).toBeLessThan(70);
  expect(Math.abs(same - 400)).toBeLessThan(70);
});

test("no step returns", () => {
  for (const [x, y] of [
    [1, 0],
    [0, 1],
    [2, 0],
    [1, 1],
    [4, 4],
  ] as const) {
    let same = 0;
    for (let i = 0; i < 900; i++)
      same += +(tileAt(i % 30, Math.floor(i / 30), 3) === tileAt((i % 30) + x, Math.floor(i / 30) + y, 3));
    expect(same).toBeLessThan(370);
  }
});
