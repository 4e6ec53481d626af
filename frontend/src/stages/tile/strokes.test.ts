import { describe, expect, it } from "vitest";
import type { Material } from "../../api/types";
import type { Point } from "../../views/capture";
import { onPicture, readStrokes, type Stroke, thinned, touchedBy, writeStrokes } from "./strokes";

const preview = { sample: [0.1, 0.2, 0.7, 0.8], work: [922, 922], tile: [768, 768] } as unknown as Material["preview"];

describe("strokes", () => {
  it("lie on the picture where they were drawn on the sample", () => {
    const { to, back } = onPicture(preview);
    expect(to([0, 0])).toEqual([0.1, 0.2]);
    const end = to([922 / 768, 922 / 768]);
    expect(end[0]).toBeCloseTo(0.7);
    expect(end[1]).toBeCloseTo(0.8);
    expect(back(to([0.3, 0.4]))[1]).toBeCloseTo(0.4);
  });
  it("come back from their setting as they went in", () => {
    const stroke: Stroke = {
      tool: "excluded",
      radius: 0.04,
      points: [
        [0.25, 0.5],
        [0.3, 0.75],
      ],
      from: [0, 0],
    };
    const [again] = readStrokes("tile.join.excluded", writeStrokes("tile.join.excluded", [stroke], preview), preview);
    expect(again!.radius).toBeCloseTo(0.04, 4);
    expect(again!.points[1]![0]).toBeCloseTo(0.3, 4);
    const touch: Stroke = {
      tool: "heal",
      radius: 0,
      points: [
        [0, 0],
        [1, 0],
        [0.5, 1],
      ],
      from: [0.25, -0.5],
    };
    expect(
      readStrokes("tile.retouch.strokes", writeStrokes("tile.retouch.strokes", [touch], preview), preview),
    ).toEqual([touch]);
  });
  it("leave no setting behind when there are none", () => {
    expect(writeStrokes("tile.join.kept", [], preview)).toEqual([]);
  });
  it("drop points that lie close to the one before", () => {
    expect(
      thinned(
        [
          [0, 0],
          [0.01, 0],
          [0.06, 0],
          [0.07, 0],
        ],
        0.05,
      ),
    ).toEqual([
      [0, 0],
      [0.06, 0],
    ]);
  });
});

it("an eraser touches strokes as wide as they are, and areas inside", () => {
  const strokes = [
    {
      radius: 0.1,
      points: [
        [0.2, 0.2],
        [0.6, 0.2],
      ] as Point[],
    },
    {
      radius: 0,
      points: [
        [0.5, 0.5],
        [0.9, 0.5],
        [0.9, 0.9],
        [0.5, 0.9],
      ] as Point[],
    },
    { radius: 0.05, points: [[0.1, 0.8]] as Point[] },
  ];
  expect(touchedBy([[0.4, 0.309]], 0.01, strokes)).toEqual([0]);
  expect(touchedBy([[0.4, 0.312]], 0.01, strokes)).toEqual([]);
  expect(touchedBy([[0.7, 0.7]], 0.01, strokes)).toEqual([1]);
  expect(
    touchedBy(
      [
        [0.1, 0.8],
        [0.7, 0.7],
        [0.3, 0.2],
      ],
      0.01,
      strokes,
    ),
  ).toEqual([0, 1, 2]);
});
