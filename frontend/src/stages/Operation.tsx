/** All settings of one operation: the usual ones open, the rest folded with a count of what is changed in there. */
import { useEditor } from "../editor/store";
import type { SettingPath } from "../api/types";
import { Fold } from "../ui/Fold";
import { Setting } from "./Setting";

/** flat: shown within a fold already, so nothing is folded again. */
export function Operation({ id, without = [], flat = false }: { id: string; without?: string[]; flat?: boolean }) {
  const operation = useEditor((state) => state.about?.operations.find((o) => o.id === id));
  const changed = useEditor((state) => state.material?.recipe.operations[id]);
  if (!operation) return null;
  const shown = operation.settings.filter((s) => !without.includes(s.name));
  const path = (name: string) => `${id}.${name}` as SettingPath;
  const folded = flat ? [] : shown.filter((s) => s.folded);
  const touched = folded.filter((s) => changed && s.name in changed).length;
  return (
    <>
      {shown
        .filter((s) => flat || !s.folded)
        .map((s) => (
          <Setting key={s.name} path={path(s.name)} />
        ))}
      {folded.length > 0 && (
        <Fold title="More" note={touched ? `${touched} changed` : ""}>
          {folded.map((s) => (
            <Setting key={s.name} path={path(s.name)} />
          ))}
        </Fold>
      )}
    </>
  );
}
