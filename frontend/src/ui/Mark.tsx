/** The mark: twigs crossing inside a drop of resin. */
export function Mark({ size = 24 }: { size?: number }) {
  return (
    <svg viewBox="0 0 32 32" width={size} height={size} aria-hidden>
      <path d="M16 2c5.5 6.4 9.5 11.2 9.5 17a9.500 9.500 0 0 1-19 0C6.500 13.200 10.500 8.400 16 2z" fill="#e39a2d" />
      <g fill="none" stroke="#4a2f16" strokeWidth="1.700" strokeLinecap="round">
        <path d="M11 26 19.500 11.500M21.500 25 12 14M16 27.500V18M16.300 17l4.700-1.500M13.800 21.500l-4-.8" />
      </g>
    </svg>
  );
}
