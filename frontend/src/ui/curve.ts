/** A curve as points, as settings hold it. */
export type CurvePoint = [number, number];

export const ENDS: CurvePoint[] = [
  [0, 0],
  [1, 1],
];

export const readCurve = (kept: CurvePoint[]): CurvePoint[] => (kept.length ? kept : ENDS);

const tidy = (n: number) => Number(Math.min(1, Math.max(0, n)).toFixed(4));

/** The setting of points; none for the straight line. */
export function writeCurve(points: CurvePoint[]): CurvePoint[] {
  const neat = points.map(([x, y]): CurvePoint => [tidy(x), tidy(y)]);
  const straight = neat.length === 2 && neat.every(([x, y], i) => x === i && y === i);
  return straight ? [] : neat;
}

/** Points with one of them elsewhere: between its neighbours, a hair apart. */
export function movedPoint(points: CurvePoint[], index: number, [x, y]: CurvePoint): CurvePoint[] {
  const low = index ? points[index - 1]![0] + 0.01 : 0;
  const high = index < points.length - 1 ? points[index + 1]![0] - 0.01 : 1;
  return points.map((point, i) =>
    i === index ? [Math.min(high, Math.max(low, x)), Math.min(1, Math.max(0, y))] : point,
  );
}

/** Slopes at points so that nothing overshoots between them (Fritsch & Carlson 1980). */
function slopes(points: CurvePoint[]): number[] {
  const steps = points
    .slice(1)
    .map(([x, y], i) => ({ h: x - points[i]![0], d: (y - points[i]![1]) / (x - points[i]![0]) }));
  const end = (h0: number, h1: number, d0: number, d1: number) => {
    const slope = ((2 * h0 + h1) * d0 - h0 * d1) / (h0 + h1);
    if (Math.sign(slope) !== Math.sign(d0)) return 0;
    return Math.sign(d0) !== Math.sign(d1) && Math.abs(slope) > 3 * Math.abs(d0) ? 3 * d0 : slope;
  };
  if (steps.length === 1) return [steps[0]!.d, steps[0]!.d];
  return points.map((_, i) => {
    const [a, b] = [steps[i - 1], steps[i]];
    if (!a) return end(b!.h, steps[1]!.h, b!.d, steps[1]!.d);
    if (!b) return end(a.h, steps[i - 2]!.h, a.d, steps[i - 2]!.d);
    if (a.d * b.d <= 0) return 0;
    const [w1, w2] = [2 * b.h + a.h, b.h + 2 * a.h];
    return (w1 + w2) / (w1 / a.d + w2 / b.d);
  });
}

/** The curve at x: what the picture will be given. */
export function curveAt(points: CurvePoint[], x: number): number {
  const last = points.length - 1;
  if (x <= points[0]![0]) return points[0]![1];
  if (x >= points[last]![0]) return points[last]![1];
  const i = points.findIndex(([px], k) => k < last && x >= px && x < points[k + 1]![0]);
  const m = slopes(points);
  const [[x0, y0], [x1, y1]] = [points[i]!, points[i + 1]!];
  const h = x1 - x0;
  const t = (x - x0) / h;
  return (
    (2 * t ** 3 - 3 * t ** 2 + 1) * y0 +
    (t ** 3 - 2 * t ** 2 + t) * h * m[i]! +
    (-2 * t ** 3 + 3 * t ** 2) * y1 +
    (t ** 3 - t ** 2) * h * m[i + 1]!
  );
}
