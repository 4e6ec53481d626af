/** Draws a layer into a view's canvas. */
import type { LayerId } from "../api/types";
import { type Box, type Transform, wraps } from "./space";
import type { Channel, How } from "./state";

/** A picture as one channel, or as its value (BT.709 weights on the coded numbers). */
export function channelOf(bitmap: ImageBitmap, channel: Channel): HTMLCanvasElement | ImageBitmap {
  if (channel === "all") return bitmap;
  const canvas = document.createElement("canvas");
  canvas.width = bitmap.width;
  canvas.height = bitmap.height;
  const context = canvas.getContext("2d", { willReadFrequently: true });
  if (!context) return bitmap;
  context.drawImage(bitmap, 0, 0);
  const image = context.getImageData(0, 0, canvas.width, canvas.height);
  const data = image.data;
  const weights = { red: [1, 0, 0], green: [0, 1, 0], blue: [0, 0, 1], value: [0.2126, 0.7152, 0.0722] }[channel] as [
    number,
    number,
    number,
  ];
  for (let i = 0; i < data.length; i += 4) {
    const grey = weights[0] * data[i]! + weights[1] * data[i + 1]! + weights[2] * data[i + 2]!;
    data[i] = data[i + 1] = data[i + 2] = grey;
  }
  context.putImageData(image, 0, 0);
  return canvas;
}

/** How far two pictures lie apart, channel by channel, times a gain. */
export function differenceOf(
  one: HTMLCanvasElement | ImageBitmap,
  other: HTMLCanvasElement | ImageBitmap,
  gain: number,
): HTMLCanvasElement | ImageBitmap {
  const canvas = document.createElement("canvas");
  [canvas.width, canvas.height] = [one.width, one.height];
  const context = canvas.getContext("2d", { willReadFrequently: true });
  if (!context) return one;
  context.drawImage(one, 0, 0);
  const image = context.getImageData(0, 0, canvas.width, canvas.height);
  context.drawImage(other, 0, 0, canvas.width, canvas.height);
  const against = context.getImageData(0, 0, canvas.width, canvas.height).data;
  const data = image.data;
  for (let i = 0; i < data.length; i++)
    if (i % 4 !== 3) data[i] = Math.min(255, Math.abs(data[i]! - against[i]!) * gain);
  context.putImageData(image, 0, 0);
  return canvas;
}

/** A picture with pixels marked that have a channel at its end: amber where too bright, white where too dark. */
export function clippingOf(picture: HTMLCanvasElement | ImageBitmap): HTMLCanvasElement | ImageBitmap {
  const canvas = document.createElement("canvas");
  [canvas.width, canvas.height] = [picture.width, picture.height];
  const context = canvas.getContext("2d", { willReadFrequently: true });
  if (!context) return picture;
  context.drawImage(picture, 0, 0);
  const image = context.getImageData(0, 0, canvas.width, canvas.height);
  const data = image.data;
  for (let i = 0; i < data.length; i += 4) {
    const [r, g, b] = [data[i]!, data[i + 1]!, data[i + 2]!];
    const mark = Math.max(r, g, b) >= 254 ? [227, 154, 45] : Math.min(r, g, b) <= 1 ? [255, 255, 255] : null;
    if (mark) [data[i], data[i + 1], data[i + 2]] = mark as [number, number, number];
  }
  context.putImageData(image, 0, 0);
  return canvas;
}

interface Scene {
  source: HTMLCanvasElement | ImageBitmap;
  /** Other tiles of the set: repeats are laid at random from all of them. */
  others?: readonly (HTMLCanvasElement | ImageBitmap)[];
  layer: LayerId;
  box: Box;
  how: How;
  surround: string;
  /** Nothing is shown beyond the tile: what is cut out does not repeat. */
  alone?: boolean;
}

/** What lies over repeats beyond the tile that is looked at: a third of them is left to be seen. */
const BEYOND = "rgba(0, 0, 0, 0.66)";

/** Which of so many tiles lies in a column and row: the same each time, and in no order to be seen. */
export function tileAt(column: number, row: number, count: number): number {
  let mixed = Math.imul(column, 0x27d4eb2d) ^ Math.imul(row, 0x165667b1);
  mixed = Math.imul(mixed ^ (mixed >>> 15), 0x85ebca6b);
  mixed = Math.imul(mixed ^ (mixed >>> 13), 0xc2b2ae35);
  return ((mixed ^ (mixed >>> 16)) >>> 0) % count;
}

/** The rectangle of tile space that a view is fitted to. */
export function shownBox(layer: LayerId, box: Box, how: How, repeat: number): Box {
  if (how !== "repeated" || !wraps(layer)) return box;
  const before = (repeat - 1) / 2;
  return { left: -before, top: -before, width: repeat, height: repeat };
}

export function draw(context: CanvasRenderingContext2D, width: number, height: number, t: Transform, scene: Scene) {
  context.fillStyle = scene.surround;
  context.fillRect(0, 0, width, height);
  const { source, box, layer, how } = scene;
  const [left, top] = t.toScreen(box.left, box.top);
  const [right, bottom] = t.toScreen(box.left + box.width, box.top + box.height);
  const [wide, tall] = [right - left, bottom - top];
  // Magnified pixels are shown as squares, so that they can be counted.
  context.imageSmoothingEnabled = wide < source.width * 2.5;
  context.imageSmoothingQuality = wide < source.width * 0.5 ? "high" : wide < source.width * 0.6 ? "medium" : "low";
  if (!wraps(layer) || scene.alone) {
    context.drawImage(source, left, top, wide, tall);
    return;
  }
  const shift = how === "shifted" ? 0.5 : 0;
  const tiles = how === "repeated" && scene.others ? [source, ...scene.others] : [source];
  // Repeats fill the view; round a tile that is looked at they only show what its edges meet.
  const [x0, y0] = t.toTile(0, 0);
  const [x1, y1] = t.toTile(width, height);
  for (let row = Math.floor(y0 - shift); row < y1; row++) {
    for (let column = Math.floor(x0 - shift); column < x1; column++) {
      // Edges on whole screen pixels: neighbours neither overlap nor leave a hair between them.
      const edge = (n: number, at: number, size: number) => Math.round(at + (n + shift) * size);
      const [ax, ay] = [edge(column, left, wide), edge(row, top, tall)];
      const [bx, by] = [edge(column + 1, left, wide), edge(row + 1, top, tall)];
      if (bx < 0 || by < 0 || ax > width || ay > height) continue;
      context.drawImage(tiles[tileAt(column, row, tiles.length)]!, ax, ay, bx - ax, by - ay);
    }
  }
  if (how === "repeated") return;
  context.fillStyle = BEYOND;
  context.beginPath();
  context.rect(0, 0, width, height);
  context.rect(
    Math.round(left),
    Math.round(top),
    Math.round(right) - Math.round(left),
    Math.round(bottom) - Math.round(top),
  );
  context.fill("evenodd");
}
