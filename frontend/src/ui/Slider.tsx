import { Slider as Radix } from "radix-ui";
import type { KeyboardEvent } from "react";

interface Props {
  label: string;
  value: number;
  min: number;
  max: number;
  step: number;
  /** Where the default lies, marked on the track. */
  mark?: number;
  valueText?: string;
  onChange: (value: number) => void;
  onEnd?: () => void;
  onReset?: () => void;
}

const STEPS: Record<string, number> = {
  ArrowRight: 1,
  ArrowUp: 1,
  ArrowLeft: -1,
  ArrowDown: -1,
  PageUp: 10,
  PageDown: -10,
};

/** A number rounded to the fineness of a step, without binary crumbs. */
export function tidy(value: number, step: number): number {
  const places = Math.max(0, Math.min(6, Math.ceil(-Math.log10(step) - 1e-9)));
  return Number((Math.round(value / step) * step).toFixed(places));
}

/** Answers while dragging. Arrow keys step, with shift a tenth of a step; double-click resets. */
export function Slider({ label, value, min, max, step, mark, valueText, onChange, onEnd, onReset }: Props) {
  const fine = step / 10;
  const keyed = (event: KeyboardEvent) => {
    const steps = STEPS[event.key];
    if (steps === undefined) return;
    event.preventDefault();
    const grain = event.shiftKey ? fine : step;
    onChange(Math.min(max, Math.max(min, tidy(value + steps * grain, grain))));
    onEnd?.();
  };
  return (
    <Radix.Root
      value={[value]}
      min={min}
      max={max}
      step={fine}
      onValueChange={([next]) => next !== undefined && onChange(Math.min(max, Math.max(min, tidy(next, step))))}
      onValueCommit={() => onEnd?.()}
      onDoubleClick={onReset}
      className="relative flex h-4 w-full touch-none items-center select-none"
    >
      <Radix.Track className="relative h-[3px] w-full rounded-full bg-line">
        {mark !== undefined && (
          <span
            className="absolute -top-[3px] h-[9px] w-px bg-soft"
            style={{ left: `calc(6.5px + (100% - 13px) * ${(mark - min) / (max - min)})` }}
          />
        )}
        <Radix.Range className="absolute h-full rounded-full bg-soft" />
      </Radix.Track>
      <Radix.Thumb
        aria-label={label}
        aria-valuetext={valueText}
        onKeyDownCapture={keyed}
        className="block size-[13px] rounded-full border border-ground bg-text transition-colors hover:bg-amber focus-visible:bg-amber active:bg-amber"
      />
    </Radix.Root>
  );
}
