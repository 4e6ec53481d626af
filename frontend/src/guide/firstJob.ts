/** The first job, shown: seven steps that point at the real controls, left and taken up at any time. */
import { create } from "zustand";
import type { StageId } from "../api/types";
import { goTo } from "../app/router";
import { recall, remember } from "../ui/remember";

export interface JobStep {
  title: string;
  words: string;
  /** The control it points at. */
  target: string;
  /** Done by opening this stage, or a material, or by packing; else by going on. */
  done?: { stage: StageId } | "opened" | "packed";
}

const stage = (name: string) => `nav [data-stage=${name}]`;

export const JOB: JobStep[] = [
  {
    title: "Bring in a photograph",
    words: "Add captures, or drop one anywhere. Any card of the library will do as well: open it.",
    target: "[data-guided=add]",
    done: "opened",
  },
  {
    title: "Read what comes next",
    words: "Here it says what this material most needs now. The button does it; the cross leaves it as it is.",
    target: "[data-guided=next]",
  },
  {
    title: "Make it lie flat",
    words: "In Square the part is chosen, and how wide it is in reality: relief and size follow from that.",
    target: stage("square"),
    done: { stage: "square" },
  },
  {
    title: "Let its edges meet",
    words: "In Tile the method that suits the sample is named, with its reason. The second view repeats the tile.",
    target: stage("tile"),
    done: { stage: "tile" },
  },
  {
    title: "See it lit",
    words: "In Relief the height is made; drag in the lit view to turn the surface, drag the lamp to move the light.",
    target: stage("relief"),
    done: { stage: "relief" },
  },
  {
    title: "Prove it",
    words: "In Check every rule has its figure. What is open has a button that mends it, or shows where it is.",
    target: stage("check"),
    done: { stage: "check" },
  },
  {
    title: "Pack it",
    words: "Choose the profile of your renderer, then Pack as zip: every file is read back after it was written.",
    target: "[data-guided=pack]",
    done: "packed",
  },
];

interface State {
  /** The step it is at; JOB.length when it is done. */
  step: number;
  shown: boolean;
}

const KEPT = "first-job";

export const useFirstJob = create<State>(() => ({ step: 0, shown: false, ...recall<State>(KEPT) }));
useFirstJob.subscribe((state) => remember(KEPT, state));

export function goOn(from: number) {
  const { step, shown } = useFirstJob.getState();
  if (shown && step === from) useFirstJob.setState({ step: step + 1 });
}

/** Begins it, or takes it up where it was left. */
export function beginFirstJob() {
  const { step } = useFirstJob.getState();
  const at = step >= JOB.length ? 0 : step;
  useFirstJob.setState({ step: at, shown: true });
  if (at === 0) goTo("/");
}
