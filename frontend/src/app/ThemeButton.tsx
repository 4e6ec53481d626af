import { Moon, Sun } from "lucide-react";
import { Button } from "../ui/Button";
import { useTheme } from "./theme";

/** Day or dusk. */
export function ThemeButton() {
  const { theme, swap } = useTheme();
  return (
    <Button
      look="quiet"
      className="px-1.5"
      aria-label={theme === "dusk" ? "Day theme" : "Dusk theme"}
      title={theme === "dusk" ? "Day (t)" : "Dusk (t)"}
      onClick={swap}
    >
      {theme === "dusk" ? <Sun size={15} /> : <Moon size={15} />}
    </Button>
  );
}
