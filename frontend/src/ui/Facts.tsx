/** Names and values under each other. */
export function Facts({ rows }: { rows: [string, React.ReactNode][] }) {
  return (
    <dl className="grid grid-cols-[auto_1fr] gap-x-4 gap-y-1 py-1">
      {rows.map(([name, value]) => (
        <div key={name} className="contents">
          <dt className="text-soft">{name}</dt>
          <dd
            className="figures min-w-0 truncate text-right leading-[1.6]"
            title={typeof value === "string" ? value : undefined}
          >
            {value}
          </dd>
        </div>
      ))}
    </dl>
  );
}
