/** What the two views show, for each stage, and where they look; kept in this browser. */
import { create } from "zustand";
import type { LayerId, StageId } from "../api/types";

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

interface Views {
  stage: StageId;
  setups: Record<StageId, Record<Side, ViewSetup>>;
  arrangement: Arrangement;
  /** Share of the room the first view gets. */
  split: number;
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
  /** Evidence of a finding, drawn on the first view. */
  evidence: { map: LayerId | null; of?: string; box: [number, number, number, number] } | null;
  active: Side;
  /** How the first view is compared with what the second shows. split: where the wipe lies; gain: of the difference. snapshot: the
   * state it is compared with instead of the second view. */
  compare: { mode: Compare; split: number; gain: number; snapshot: number | null };
}

const KEPT = "views-1";

function kept(): Partial<Views> {
  try {
    return JSON.parse(localStorage.getItem(KEPT) ?? "{}") as Partial<Views>;
  } catch {
    return {};
  }
}

export const useViews = create<Views>(() => {
  const before = kept();
  return {
    stage: before.stage ?? "gather",
    setups: { ...FIRST_LOOK, ...before.setups },
    arrangement: before.arrangement ?? "beside",
    split: before.split ?? 0.5,
    look: null,
    pointer: null,
    input: false,
    clipping: false,
    histogram: false,
    whole: false,
    evidence: null,
    active: "first",
    compare: { mode: "off", split: 0.5, gain: 4, snapshot: null },
  };
});

useViews.subscribe((now, before) => {
  if (
    now.setups === before.setups &&
    now.stage === before.stage &&
    now.split === before.split &&
    now.arrangement === before.arrangement
  )
    return;
  const { stage, setups, split, arrangement } = now;
  localStorage.setItem(KEPT, JSON.stringify({ stage, setups, split, arrangement }));
});

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
