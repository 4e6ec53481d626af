/** Between the flattened picture and the capture, both 0..1: the same mapping as core/square/view.py. */
import type { CaptureView } from "../api/types";

export type Point = [number, number];

function bent([x, y]: Point, aspect: number, [k1, k2, p1, p2]: CaptureView["lens"]): Point {
  const half = Math.hypot(aspect, 1);
  const [hx, hy] = [aspect / half, 1 / half];
  const [cx, cy] = [(x * 2 - 1) * hx, (y * 2 - 1) * hy];
  const r2 = cx * cx + cy * cy;
  const radial = 1 + k1 * r2 + k2 * r2 * r2;
  const bx = cx * radial + 2 * p1 * cx * cy + p2 * (r2 + 2 * cx * cx);
  const by = cy * radial + p1 * (r2 + 2 * cy * cy) + 2 * p2 * cx * cy;
  return [(bx / hx + 1) / 2, (by / hy + 1) / 2];
}

export function toCapture(view: CaptureView, aspect: number, [u, v]: Point): Point {
  const m = view.homography as [number, number, number, number, number, number, number, number, number];
  const w = m[6] * u + m[7] * v + m[8];
  const straight: Point = [(m[0] * u + m[1] * v + m[2]) / w, (m[3] * u + m[4] * v + m[5]) / w];
  return view.lens.some(Boolean) ? bent(straight, aspect, view.lens) : straight;
}

export function fromCapture(view: CaptureView, aspect: number, at: Point): Point {
  let straight: Point = [...at];
  for (let i = 0; i < 12 && view.lens.some(Boolean); i++) {
    const [bx, by] = bent(straight, aspect, view.lens);
    straight = [straight[0] + at[0] - bx, straight[1] + at[1] - by];
  }
  const [a, b, c, d, e, f, g, h, i] = view.homography as [
    number,
    number,
    number,
    number,
    number,
    number,
    number,
    number,
    number,
  ];
  const [x, y] = straight;
  // Cramer's rule for u, v in the two equations x·w = …, y·w = ….
  const [p, q, r] = [a - g * x, b - h * x, i * x - c];
  const [s, t, n] = [d - g * y, e - h * y, i * y - f];
  const det = p * t - q * s;
  return [(r * t - q * n) / det, (p * n - r * s) / det];
}
