/** A text whose words of the glossary say what they mean when they are pointed at. */
import { Tooltip } from "radix-ui";
import { memo } from "react";
import { say } from "../words/say";
import { explained } from "./glossary";

export const Words = memo(function Words({ children }: { children: string }) {
  const pieces = explained(children);
  if (pieces.every(({ meaning }) => !meaning)) return say(children);
  return (
    <Tooltip.Provider disableHoverableContent>
      {pieces.map(({ text, meaning }, i) =>
        meaning ? (
          <Tooltip.Root key={i} delayDuration={350}>
            <Tooltip.Trigger asChild>
              <span translate="no" className="decoration-soft decoration-dotted underline-offset-[3px] hover:underline">
                {text}
              </span>
            </Tooltip.Trigger>
            <Tooltip.Portal>
              <Tooltip.Content
                side="top"
                sideOffset={4}
                className="z-50 max-w-72 rounded-card border border-line bg-lifted px-2.5 py-1.5 text-[12px] leading-[1.4] text-text shadow-lg shadow-black/40"
              >
                <b translate="no" className="font-semibold">
                  {text}
                </b>
                : {meaning}
              </Tooltip.Content>
            </Tooltip.Portal>
          </Tooltip.Root>
        ) : (
          text
        ),
      )}
    </Tooltip.Provider>
  );
});
