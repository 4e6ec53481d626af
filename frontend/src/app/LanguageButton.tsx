import { Check, Languages } from "lucide-react";
import { DropdownMenu } from "radix-ui";
import { Button } from "../ui/Button";
import { chooseLanguage, LANGUAGES, spokenLanguage } from "../words/language";

/** Which language the page speaks, each named in itself. */
export function LanguageButton() {
  const spoken = spokenLanguage();
  return (
    <DropdownMenu.Root>
      <DropdownMenu.Trigger asChild>
        <Button look="quiet" className="px-1.5" aria-label="Language" title="Language">
          <Languages size={15} aria-hidden />
        </Button>
      </DropdownMenu.Trigger>
      <DropdownMenu.Portal>
        <DropdownMenu.Content
          align="end"
          sideOffset={4}
          className="z-40 min-w-36 rounded-card border border-line bg-raised p-1 shadow-lg shadow-black/40"
        >
          <DropdownMenu.RadioGroup value={spoken} onValueChange={chooseLanguage}>
            {Object.entries(LANGUAGES).map(([language, name]) => (
              <DropdownMenu.RadioItem
                key={language}
                value={language}
                className="flex h-7 cursor-pointer items-center gap-2 rounded-[5px] px-2 outline-none data-highlighted:bg-lifted"
              >
                <span className="w-4">
                  <DropdownMenu.ItemIndicator>
                    <Check size={14} aria-hidden />
                  </DropdownMenu.ItemIndicator>
                </span>
                <span lang={language} translate="no">
                  {name}
                </span>
              </DropdownMenu.RadioItem>
            ))}
          </DropdownMenu.RadioGroup>
        </DropdownMenu.Content>
      </DropdownMenu.Portal>
    </DropdownMenu.Root>
  );
}
