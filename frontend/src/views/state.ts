/** What the two views show, for each stage, and where they look; kept in this browser. */
import { create } from "zustand";
import type { LayerId, StageId } from "../api/types";
import { recall, remember } from "../ui/remember";

export type What = LayerId | "lit";
export type How = "single" | "repeated" | "shifted";
export type Channel = "all" | "red" | "green" | "blue" | "value";
export type Side = "first" | "second";
export type Compare = "off" | "wipe" | "blink" | "difference";
export type Arrangement = "beside" | "stacked" | "first" | "second";

export interface ViewSetup {
  what: What;
  how: How;
  channel: Channel;
  repeat: number;
}

/** Where both views look: the tile place in the middle, and how far in: 0 fits, 1 is where all views have one scale. */
export interface Look {
  x: number;
  y: number;
  zoom: number;
  /** One finished pixel is one of the screen, in both, whatever they fit. */
  exact?: boolean;
}

const setup = (what: What, how: How = "single", repeat = 2): ViewSetup => ({ what, how, channel: "all", repeat });

/** What each stage opens with: what it works on, beside what becomes of it. */
const FIRST_LOOK: Record<StageId, Record<Side, ViewSetup>> = {
  gather: { first: setup("gathered"), second: setup("base_color", "repeated", 3) },
  square: { first: setup("gathered"), second: setup("base_color", "repeated", 3) },
  even: { first: setup("evened"), second: setup("base_color", "repeated", 3) },
  tile: { first: setup("base_color", "shifted"), second: setup("base_color", "repeated", 3) },
  relief: { first: setup("height"), second: setup("lit") },
  response: { first: setup("roughness"), second: setup("lit") },
  check: { first: setup("base_color"), second: setup("lit") },
  pack: { first: setup("normal"), second: setup("lit") },
};

/** Columns beside the views that are folded away. In a narrow window settings are a sheet over the view, and `sheet`
 * counts. */
export interface Folded {
  stages: boolean;
  settings: boolean;
  sheet: boolean;
}

interface Views {
  stage: StageId;
  setups: Record<StageId, Record<Side, ViewSetup>>;
  arrangement: Arrangement;
  /** Share of the room the first view gets, stage by stage. */
  splits: Record<StageId, number>;
  look: Look | null;
  /** Where the pointer is, in tile widths and tile heights; null when outside. */
  pointer: { x: number; y: number } | null;
  /** The stage's input is shown while a key is held. */
  input: boolean;
  /** Pixels at an end of their range are marked. */
  clipping: boolean;
  /** The histogram of what a view shows lies on it. */
  histogram: boolean;
  /** One view fills the window; nothing else is shown. */
  whole: boolean;
  folded: Folded;
  /** Evidence of a finding, drawn on the first view. */
  evidence: { map: LayerId | null; of?: string; box: [number, number, number, number] } | null;
  active: Side;
  /** How the first view is compared with what the second shows. split: where the wipe lies; gain: of the difference. snapshot: the
   * state it is compared with instead of the second view. */
  compare: { mode: Compare; split: number; gain: number; snapshot: number | null };
}

/** What belongs to the browser, and what to each material. */
const KEPT = "views-1";
const ofMaterial = (id: string) => `views-of-${id}`;
type Shared = Pick<Views, "arrangement" | "folded">;
type Own = Pick<Views, "stage" | "setups" | "splits" | "arrangement">;

const HALVES = Object.fromEntries(Object.keys(FIRST_LOOK).map((stage) => [stage, 0.5])) as Record<StageId, number>;
const OPEN: Folded = { stages: false, settings: false, sheet: true };

function start(): Own {
  return {
    stage: "gather",
    setups: FIRST_LOOK,
    splits: HALVES,
    arrangement: recall<Shared>(KEPT)?.arrangement ?? "beside",
  };
}

export const useViews = create<Views>(() => ({
  ...start(),
  folded: { ...OPEN, ...recall<Shared>(KEPT)?.folded, sheet: true },
  look: null,
  pointer: null,
  input: false,
  clipping: false,
  histogram: false,
  whole: false,
  evidence: null,
  active: "first",
  compare: { mode: "off", split: 0.5, gain: 4, snapshot: null },
}));

/** The material whose views these are. */
let open = "";

useViews.subscribe((now, before) => {
  const { stage, setups, splits, arrangement, folded } = now;
  if (arrangement !== before.arrangement || folded !== before.folded) remember(KEPT, { arrangement, folded });
  const own = ["stage", "setups", "splits", "arrangement"] as const;
  if (open && own.some((what) => now[what] !== before[what]))
    remember(ofMaterial(open), { stage, setups, splits, arrangement });
});

/** Sets the views up as they were for a material; a new one opens at Gather. */
export function openViews(id: string) {
  if (open === id) return;
  // What is set up now belongs to the material before.
  open = "";
  const own = recall<Own>(ofMaterial(id)) ?? {};
  const begin = start();
  useViews.setState({
    ...begin,
    ...own,
    setups: { ...begin.setups, ...own.setups },
    splits: { ...begin.splits, ...own.splits },
  });
  openStage(own.stage ?? begin.stage);
  open = id;
}

export function openStage(stage: StageId) {
  useViews.setState({
    stage,
    look: null,
    evidence: null,
    input: false,
    compare: { ...useViews.getState().compare, mode: "off", snapshot: null },
  });
}

export function setView(side: Side, changes: Partial<ViewSetup>) {
  const { stage, setups } = useViews.getState();
  const now = setups[stage][side];
  const look = changes.what && changes.what !== now.what ? null : useViews.getState().look;
  useViews.setState({
    setups: { ...setups, [stage]: { ...setups[stage], [side]: { ...now, ...changes } } },
    look,
    active: side,
  });
}

export const fold = (what: keyof Folded) =>
  useViews.setState(({ folded }) => ({ folded: { ...folded, [what]: !folded[what] } }));

/** What a stage opens with, until somebody sets its views up. */
export const firstLook = (stage: StageId) => FIRST_LOOK[stage];

/** The layer a stage works on: what it is compared with while the key is held. */
export const INPUT_OF: Record<StageId, LayerId> = {
  gather: "gathered",
  square: "gathered",
  even: "squared",
  tile: "evened",
  relief: "base_color",
  response: "base_color",
  check: "evened",
  pack: "gathered",
};
