/** A finding somebody was sent to see: ?finding=RULE or ?finding=RULE/MAP in the address of a bench. */
import { create } from "zustand";

export const useWanted = create<{ rule: string; map: string | null } | null>(() => null);

export function wantFinding(search: string) {
  const [rule, map = null] = (new URLSearchParams(search).get("finding") ?? "").split("/");
  if (rule) useWanted.setState({ rule, map }, true);
}

/** The address of a finding in a material. */
export const findingAddress = (material: string, { rule, map }: { rule: string; map: string | null }) =>
  `/m/${material}/check?finding=${rule}${map ? `/${map}` : ""}`;
