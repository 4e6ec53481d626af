/** A file's name, cut in its middle where there is no room: its end tells maps apart. */
export function FileName({ name, className = "" }: { name: string; className?: string }) {
  const kept = Math.min(name.length, 18);
  return (
    <span translate="no" className={`flex min-w-0 ${className}`} title={name}>
      <span translate="no" className="truncate">
        {name.slice(0, name.length - kept)}
      </span>
      <span translate="no" className="shrink-0 whitespace-pre">
        {name.slice(name.length - kept)}
      </span>
    </span>
  );
}
