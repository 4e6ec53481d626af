/** The tones of a picture, counted. */
export interface Tones {
  /** How often each value comes, 64 steps, the most frequent 1. */
  bars: number[];
  /** Shares of pixels with a channel at its end. */
  bright: number;
  dark: number;
}

/** Counts an RGBA picture by its value (BT.709 weights on the coded numbers). */
export function tonesOf(data: Uint8ClampedArray): Tones {
  const bars = new Array<number>(64).fill(0);
  let [bright, dark] = [0, 0];
  for (let i = 0; i < data.length; i += 4) {
    const [r, g, b] = [data[i]!, data[i + 1]!, data[i + 2]!];
    bars[Math.min(63, Math.floor((0.2126 * r + 0.7152 * g + 0.0722 * b) / 4))]! += 1;
    if (Math.max(r, g, b) >= 254) bright += 1;
    if (Math.min(r, g, b) <= 1) dark += 1;
  }
  const pixels = data.length / 4;
  // The ends may hold most of a picture; they would flatten all else.
  const most = Math.max(1, ...bars.slice(1, 63));
  return { bars: bars.map((n) => Math.min(1, n / most)), bright: bright / pixels, dark: dark / pixels };
}
