import { describe, expect, it } from "vitest";
import { curveAt, type CurvePoint, ENDS, movedPoint, readCurve, writeCurve } from "./curve";
import { tonesOf } from "../stages/even/tones";

describe("tone curve", () => {
  it("is a straight line without points, and leaves no setting", () => {
    expect(curveAt(ENDS, 0.37)).toBeCloseTo(0.37);
    expect(writeCurve(ENDS)).toEqual([]);
    expect(readCurve([])).toEqual(ENDS);
  });
  it("passes its points and agrees with scipy's PCHIP between them", () => {
    const points: CurvePoint[] = [
      [0, 0],
      [0.25, 0.1],
      [0.6, 0.7],
      [1, 1],
    ];
    for (const [x, y] of points) expect(curveAt(points, x)).toBeCloseTo(y);
    // scipy 1.17: PchipInterpolator([0, .25, .6, 1], [0, .1, .7, 1])([.1, .4, .8])
    expect(curveAt(points, 0.1)).toBeCloseTo(0.020152, 4);
    expect(curveAt(points, 0.4)).toBeCloseTo(0.328193, 4);
    expect(curveAt(points, 0.8)).toBeCloseTo(0.890846, 4);
  });
  it("keeps a moved point between its neighbours", () => {
    const points: CurvePoint[] = [
      [0, 0],
      [0.5, 0.5],
      [1, 1],
    ];
    expect(movedPoint(points, 1, [1.4, -2])[1]).toEqual([0.99, 0]);
    expect(movedPoint(points, 0, [-1, 0.2])[0]).toEqual([0, 0.2]);
  });
});

describe("tones", () => {
  it("counts what is at an end", () => {
    const data = new Uint8ClampedArray([255, 255, 255, 255, 0, 0, 0, 255, 128, 128, 128, 255, 128, 128, 128, 255]);
    const { bars, bright, dark } = tonesOf(data);
    expect([bright, dark, bars[32]]).toEqual([0.25, 0.25, 1]);
  });
});
