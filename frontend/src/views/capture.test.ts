import { expect, it } from "vitest";
import { fromCapture, type Point, toCapture } from "./capture";

it("goes to the capture and back, through perspective and lens", () => {
  const view = {
    homography: [0.8, 0.05, 0.1, 0.02, 0.7, 0.15, 0.1, -0.05, 1],
    lens: [0.05, -0.01, 0.002, 0.001] as [number, number, number, number],
    size: [100, 80] as [number, number],
    plain: false,
  };
  for (const point of [
    [0, 0],
    [1, 0.2],
    [0.4, 0.9],
  ] as Point[]) {
    const back = fromCapture(view, 1.4, toCapture(view, 1.4, point));
    expect(back[0]).toBeCloseTo(point[0], 6);
    expect(back[1]).toBeCloseTo(point[1], 6);
  }
});
