/** A thin line at the top of what is being made; the old picture stays under it. */
export function ProgressLine({ busy, share }: { busy: boolean; share?: number }) {
  return (
    <div aria-hidden className="pointer-events-none absolute inset-x-0 top-0 z-10 h-[2px] overflow-hidden">
      {busy && share !== undefined && (
        <div
          className="h-full bg-amber transition-[width] duration-200"
          style={{ width: `${Math.max(3, share * 100)}%` }}
        />
      )}
      {busy && share === undefined && (
        <div className="h-full w-1/4 bg-amber" style={{ animation: "travel 1.1s linear infinite" }} />
      )}
    </div>
  );
}
