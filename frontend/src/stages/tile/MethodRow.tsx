/** The methods, each with what it is for; the one that does not suit the surface says why. */
import { useTiling } from "../../editor/figures";
import { type Changes, change, useEditor, valueOf } from "../../editor/store";
import type { Material, SettingValues } from "../../api/types";
import { cx } from "../../ui/cx";
import { useHelp } from "../help";
import { useSettingInfo } from "../Setting";

/** A sentence as a part of another. */
const inSentence = (words: string) =>
  words.replace(/\.$/, "").replace(/^(It|Mixing|No)\b/, (first) => first.toLowerCase());

type Method = SettingValues["tile.join.method"];
/** Stones and leaves stay whole from now on; recipes from before are as they were. */
const chosen = (method: Method): Changes => ({
  "tile.join.method": method,
  ...((method === "strew" || method === "regrow") && { "tile.join.whole": true }),
});

export function MethodRow({ material }: { material: Material }) {
  const info = useSettingInfo("tile.join.method");
  const value = useEditor((state) => valueOf(state, "tile.join.method"));
  const show = useHelp((state) => state.show);
  const tiling = useTiling(material);
  if (!info) return null;
  const against = (method: unknown) =>
    (method === "stochastic" && tiling?.against_mixing) || (method === "joints" && tiling?.against_joints) || "";
  return (
    <div
      role="radiogroup"
      aria-label={info.label}
      className="flex flex-wrap gap-1 py-1"
      onPointerEnter={() => show(info.label, info.help)}
      onFocus={() => show(info.label, info.help)}
    >
      {info.choices.map((choice) => {
        const on = choice.value === value;
        const why = against(choice.value);
        return (
          <button
            key={choice.value}
            type="button"
            role="radio"
            aria-checked={on}
            aria-disabled={!!why && !on}
            title={why}
            onClick={() => !on && !why && change(chosen(choice.value as Method), info.label)}
            className={cx(
              "h-7 min-w-[67px] grow rounded-[5px] border px-1.5 text-[12px]",
              on ? "border-amber bg-raised font-medium" : "border-line bg-raised text-soft",
              why && !on ? "opacity-50" : "hover:bg-lifted hover:text-text",
            )}
          >
            {choice.label}
          </button>
        );
      })}
      {(["stochastic", "joints"] as const).map(
        (method) =>
          against(method) &&
          value !== method && (
            <p key={method} className="col-span-4 text-[12px] text-soft">
              {method === "joints" ? "Joints is" : "Stochastic is"} not offered: {inSentence(against(method))}.
            </p>
          ),
      )}
    </div>
  );
}
