import { describe, expect, it } from "vitest";
import { extent, fitting, scaleAt, transform, zoomAt, zoomed } from "./space";

const preview = {
  finished: [1024, 512] as [number, number],
  tile: [768, 384] as [number, number],
  work: [960, 480] as [number, number],
  picture: [1500, 1000] as [number, number],
  sample: [0.1, 0.2, 0.6, 0.7] as [number, number, number, number],
  tile_mm: null,
  view: {
    homography: [1, 0, 0, 0, 1, 0, 0, 0, 1],
    lens: [0, 0, 0, 0] as [number, number, number, number],
    size: [1500, 1000] as [number, number],
    plain: true,
  },
};

describe("tile space", () => {
  it("puts the sample of the photograph exactly on the squared layer", () => {
    const photo = extent("gathered", preview);
    const sample = extent("squared", preview);
    expect(photo.left + 0.1 * photo.width).toBeCloseTo(sample.left, 9);
    expect(photo.left + 0.6 * photo.width).toBeCloseTo(sample.left + sample.width, 9);
    expect(photo.top + 0.7 * photo.height).toBeCloseTo(sample.top + sample.height, 9);
  });

  it("goes to the screen and back", () => {
    const t = transform({ x: 0.3, y: 0.7, scale: 500 }, 0.5, 640, 480);
    const [px, py] = t.toScreen(0.9, 0.1);
    const [x, y] = t.toTile(px, py);
    expect(x).toBeCloseTo(0.9, 9);
    expect(y).toBeCloseTo(0.1, 9);
    expect(t.toScreen(0.3, 0.7)).toEqual([320, 240]);
  });

  it("fits a box inside the view", () => {
    const look = fitting({ left: 0, top: 0, width: 1, height: 1 }, 0.5, 400, 600);
    expect(look.scale).toBeLessThanOrEqual(400);
    expect(look.x).toBe(0.5);
  });

  it("keeps the place under the pointer while zooming", () => {
    const look = { x: 0.5, y: 0.5, scale: 400 };
    const before = transform(look, 1, 600, 400).toTile(100, 50);
    const after = transform(zoomed(look, 1, 600, 400, 100, 50, 1.7), 1, 600, 400).toTile(100, 50);
    expect(after[0]).toBeCloseTo(before[0], 9);
    expect(after[1]).toBeCloseTo(before[1], 9);
  });

  it("links zoom: different fits meet at one scale, and every scale has one zoom", () => {
    expect(scaleAt(130, 1600, 1)).toBeCloseTo(scaleAt(400, 1600, 1), 6);
    expect(scaleAt(130, 1600, 2.5)).toBeCloseTo(scaleAt(400, 1600, 2.5), 6);
    for (const zoom of [-1.5, 0, 0.3, 1, 2.2]) expect(zoomAt(400, 1600, scaleAt(400, 1600, zoom))).toBeCloseTo(zoom, 9);
  });
});
