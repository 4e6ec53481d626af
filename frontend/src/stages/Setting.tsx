/** One setting of the recipe. */
import { memo } from "react";
import { change, useEditor, valueOf } from "../editor/store";
import type { SettingInfo, SettingPath, Value } from "../api/types";
import { Field } from "./Field";

interface Props {
  path: SettingPath;
  /** Shown instead of the declared label. */
  label?: string;
}

/** The declaration of a setting. */
export function useSettingInfo(path: SettingPath): SettingInfo | undefined {
  const cut = path.lastIndexOf(".");
  return useEditor((state) =>
    state.about?.operations
      .find((o) => o.id === path.slice(0, cut))
      ?.settings.find((s) => s.name === path.slice(cut + 1)),
  );
}

export const Setting = memo(function Setting({ path, label }: Props) {
  const info = useSettingInfo(path);
  const value = useEditor((state) => valueOf(state, path));
  if (!info) return null;
  const name = label ?? info.label;
  return (
    <Field
      info={info}
      value={value as Value}
      label={label}
      path={path}
      onChange={(next, gesture) => change({ [path]: next }, name, gesture)}
      onReset={() => change({ [path]: null }, `${name} reset`)}
    />
  );
});
