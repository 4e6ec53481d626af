import type { Transform } from "./space";

/** Where a finding lies: a broken outline with a light and a dark line, seen on any picture. */
export function Evidence({ box, t }: { box: [number, number, number, number]; t: Transform }) {
  const [left, top] = t.toScreen(box[0], box[1]);
  const [right, bottom] = t.toScreen(box[0] + box[2], box[1] + box[3]);
  const rect = {
    x: left,
    y: top,
    width: Math.max(right - left, 3),
    height: Math.max(bottom - top, 3),
    fill: "none",
    strokeWidth: 2,
  };
  return (
    <svg
      aria-label="Where the finding lies"
      data-testid="evidence"
      className="pointer-events-none absolute inset-0 size-full"
    >
      <rect {...rect} stroke="#000" />
      <rect {...rect} stroke="var(--amber)" strokeDasharray="7 5" />
    </svg>
  );
}
