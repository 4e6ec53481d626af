import type { Level as LevelName } from "../api/types";

const WORDS: Record<LevelName, string> = {
  pass: "Pass",
  note: "Note",
  attention: "Attention",
  blocked: "Blocked",
  unknown: "Cannot tell",
};
const SHAPES: Record<LevelName, React.ReactNode> = {
  pass: <path d="M3 7.500 6 10.500 11.500 4" fill="none" stroke="currentColor" strokeWidth="1.800" />,
  note: <circle cx="7" cy="7" r="2.500" fill="currentColor" />,
  attention: <path d="M7 2 12.500 12H1.500z" fill="none" stroke="currentColor" strokeWidth="1.600" />,
  blocked: <path d="M4.500 1.500h5l3 3v5l-3 3h-5l-3-3v-5z" fill="currentColor" />,
  unknown: (
    <path
      d="M7 1.500 12.500 7 7 12.500 1.500 7z"
      fill="none"
      stroke="currentColor"
      strokeWidth="1.400"
      strokeDasharray="2.500 1.800"
    />
  ),
};

/** Told by shape and word, never by colour alone. */
export function Level({ level, word = true }: { level: LevelName; word?: boolean }) {
  return (
    <span className="inline-flex shrink-0 items-center gap-1.5" title={WORDS[level]}>
      <svg
        width="14"
        height="14"
        viewBox="0 0 14 14"
        aria-hidden={word}
        role={word ? undefined : "img"}
        aria-label={word ? undefined : WORDS[level]}
      >
        {SHAPES[level]}
      </svg>
      {word && WORDS[level]}
    </span>
  );
}
