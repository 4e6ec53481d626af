import type { Level as LevelName } from "../api/types";
import { Level } from "./Level";

/** What was found, a sentence each, with how much it matters. */
export function Told({
  rows,
  label = "What was found",
}: {
  rows: readonly { level: LevelName; text: string }[];
  label?: string;
}) {
  return (
    <ul aria-label={label} className="flex flex-col gap-1 py-1">
      {rows.map(({ level, text }) => (
        <li key={text} className="grid grid-cols-[16px_1fr] gap-x-2 text-[12.5px]">
          <Level level={level} word={false} /> {text}
        </li>
      ))}
    </ul>
  );
}
