/** Links past what comes first on a screen, seen when keys reach them. */
export function SkipLinks({ to }: { to: [string, string][] }) {
  const jump = (target: string) => {
    const found = document.querySelector<HTMLElement>(target);
    if (!found) return;
    const first = found.matches("a, button, input, [tabindex]")
      ? found
      : (found.querySelector<HTMLElement>("a, button:not(:disabled), input, [tabindex='0']") ?? found);
    if (!first.matches("a, button, input, [tabindex]")) first.tabIndex = -1;
    first.focus();
  };
  return (
    <nav aria-label="Skip" className="contents">
      {to.map(([words, target], i) => (
        <button
          key={target}
          type="button"
          data-arrive={i === 0 ? "" : undefined}
          onClick={() => jump(target)}
          className="sr-only focus-visible:not-sr-only focus-visible:fixed focus-visible:top-2 focus-visible:left-2 focus-visible:z-50 focus-visible:rounded-card focus-visible:bg-amber focus-visible:px-3 focus-visible:py-1.5 focus-visible:text-on-amber"
        >
          {words}
        </button>
      ))}
    </nav>
  );
}
