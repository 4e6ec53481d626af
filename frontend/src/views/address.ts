/** What the address of a bench tells besides its stage: what the views show and how, what is compared, one finding. */
import type { StageId } from "../api/types";
import { goTo } from "../app/router";
import { isLayer } from "./names";
import { type Compare, firstLook, type How, type Side, useViews, type ViewSetup } from "./state";

const HOWS: How[] = ["single", "repeated", "shifted"];
const COMPARES: Compare[] = ["wipe", "blink", "difference"];
const SIDES: Side[] = ["first", "second"];

const written = ({ what, how, repeat }: ViewSetup) =>
  what === "lit" ? "lit" : how === "repeated" ? `${what}.${how}.${repeat}` : `${what}.${how}`;

/** A view as an address tells it; null where it tells none there is. */
export function readView(text: string | null): Partial<ViewSetup> | null {
  const [what = "", how, repeat] = (text ?? "").split(".");
  if (what === "lit") return { what };
  if (!isLayer(what) || !HOWS.includes(how as How)) return null;
  const times = Number(repeat);
  return { what, how: how as How, ...(Number.isInteger(times) && times >= 2 && times <= 8 ? { repeat: times } : {}) };
}

type State = Pick<ReturnType<typeof useViews.getState>, "stage" | "setups" | "compare" | "arrangement">;

/** The address of a material as it is looked at; what a stage opens with anyway is left out. */
export function addressOf(material: string, { stage, setups, compare, arrangement }: State): string {
  const asked: [string, string][] = SIDES.flatMap((side) => {
    const view = written(setups[stage][side]);
    return view === written(firstLook(stage)[side]) ? [] : [[side, view] as [string, string]];
  });
  if (compare.mode !== "off") asked.push(["compare", compare.mode]);
  if (arrangement !== "beside") asked.push(["views", arrangement]);
  const query = asked.map(([name, value]) => `${name}=${value}`).join("&");
  return `/m/${material}/${stage}${query && `?${query}`}`;
}

/** Sets the views of a stage up as an address tells. */
export function takeAddress(stage: StageId, search: string) {
  const told = new URLSearchParams(search);
  const { setups, compare, arrangement } = useViews.getState();
  const views = Object.fromEntries(
    SIDES.map((side) => [side, { ...setups[stage][side], ...readView(told.get(side)) }]),
  ) as Record<Side, ViewSetup>;
  const mode = told.get("compare") as Compare;
  const shown = told.get("views");
  useViews.setState({
    setups: { ...setups, [stage]: views },
    compare: COMPARES.includes(mode) ? { ...compare, mode } : compare,
    arrangement: ["stacked", "first", "second", "beside"].includes(shown ?? "") ? (shown as never) : arrangement,
  });
}

/** Keeps the address at what is looked at: a stage is come back to, how its views are set is not. Ends with what it gives. */
export function followViews(material: string): () => void {
  goTo(addressOf(material, useViews.getState()), true);
  return useViews.subscribe((now, before) => {
    const address = addressOf(material, now);
    if (address === addressOf(material, before) || location.pathname.split("/")[2] !== material) return;
    // Who went back is at that stage already.
    goTo(address, address.split("?")[0] === location.pathname);
  });
}
