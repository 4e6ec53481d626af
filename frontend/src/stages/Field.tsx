/** One value with the control its kind asks for; whoever uses it says what a change does. */
import { useRef } from "react";
import { useEditor } from "../editor/store";
import type { SettingInfo, Value } from "../api/types";
import { Words } from "../guide/Words";
import { Choice } from "../ui/Choice";
import { NumberField } from "../ui/NumberField";
import { Pick } from "../ui/Pick";
import { Slider } from "../ui/Slider";
import { Switch } from "../ui/Switch";
import { useHelp } from "./help";
import { lengthText, unitText, valueText } from "./lengths";

interface Props {
  info: SettingInfo;
  value: Value;
  /** Shown instead of the declared label. */
  label?: string | undefined;
  /** What it is called by a screen reader; the label where nothing is said. */
  spoken?: string | undefined;
  path?: string;
  /** gesture: the same while one drag lasts. */
  onChange: (value: Value, gesture?: string) => void;
  onReset: () => void;
}

export function Field({ info, value, label, spoken, path, onChange, onReset }: Props) {
  const show = useHelp((state) => state.show);
  const shown = label ?? info.label;
  const name = spoken ?? shown;
  const changed = value !== info.default;
  const explain = () => show(shown, info.help);
  const title = (
    <span className="relative flex min-w-0 items-center">
      <span className="truncate">
        <Words>{shown}</Words>
      </span>
      {/* In the margin: what is said about the value keeps its room. */}
      {changed && (
        <button
          type="button"
          aria-label={`Reset ${name}`}
          title={`Changed; click for the default, ${valueText(info, info.default)}`}
          onClick={onReset}
          className="absolute right-full grid h-5 w-3.5 place-items-center rounded-full hover:bg-lifted"
        >
          <span className="size-[5px] rounded-full bg-amber" />
        </button>
      )}
    </span>
  );
  return (
    <div onFocus={explain} onPointerEnter={explain} data-setting={path}>
      {info.kind === "number" ? (
        <NumberRow info={info} name={name} value={value as number} title={title} onChange={onChange} reset={onReset} />
      ) : info.kind === "choice" ? (
        <ChoiceRow info={info} name={name} value={value} title={title} onChange={onChange} />
      ) : info.kind === "switch" ? (
        <div className="flex h-8 items-center justify-between">
          {title}
          <Switch label={name} checked={value as boolean} onChange={onChange} />
        </div>
      ) : (
        <TextRow name={name} value={value as string} title={title} onChange={onChange} />
      )}
    </div>
  );
}

interface RowProps<T> {
  name: string;
  value: T;
  title: React.ReactNode;
}

function NumberRow({
  info,
  name,
  value,
  title,
  onChange,
  reset,
}: RowProps<number> & { info: SettingInfo; onChange: (value: Value, gesture?: string) => void; reset: () => void }) {
  // The text, not the material: a panel of sliders would be drawn anew at every change otherwise.
  const length = useEditor((state) => (state.material ? lengthText(info, value, state.material) : ""));
  const gesture = useRef("");
  const step = info.step ?? (info.integer ? 1 : 0.01);
  const text = valueText(info, value);
  const open = info.min === null || info.max === null || info.max - info.min > 10_000;
  return (
    <div className="py-1">
      <div className="flex h-5 items-center justify-between gap-2">
        {title}
        <span className="flex items-center gap-0.5">
          {length && <span className="figures whitespace-nowrap text-soft">{length}</span>}
          <NumberField
            label={`${name}, value`}
            value={value}
            text={text}
            min={info.min}
            max={info.max}
            onChange={(next) => onChange(next)}
            className={open ? "w-16 border-line bg-raised" : ""}
          />
          <span className="w-4 text-[12px] text-soft">{unitText(info.unit)}</span>
        </span>
      </div>
      {!open && (
        <Slider
          label={name}
          value={value}
          min={info.min ?? 0}
          max={info.max ?? 1}
          step={step}
          mark={info.default as number}
          valueText={`${text} ${unitText(info.unit)} ${length}`.trim()}
          onChange={(next) => {
            gesture.current ||= crypto.randomUUID();
            if (next !== value) onChange(next, gesture.current);
          }}
          onEnd={() => (gesture.current = "")}
          onReset={reset}
        />
      )}
    </div>
  );
}

function ChoiceRow({
  info,
  name,
  value,
  title,
  onChange,
}: RowProps<Value> & { info: SettingInfo; onChange: (value: Value) => void }) {
  const options = info.choices.map((c) => ({ value: String(c.value), label: c.label }));
  const take = (next: string) => onChange(info.choices.find((c) => String(c.value) === next)?.value ?? next);
  const letters = options.reduce((sum, option) => sum + option.label.length, 0);
  return (
    <div className="flex min-h-8 items-center justify-between gap-3 py-1">
      {title}
      {options.length <= 4 && letters < 24 ? (
        <Choice label={name} value={String(value)} options={options} onChange={take} />
      ) : (
        <span className="flex items-center gap-1">
          <Pick label={name} value={String(value)} groups={[{ options }]} onChange={take} />
          {info.unit && <span className="text-[12px] text-soft">{unitText(info.unit)}</span>}
        </span>
      )}
    </div>
  );
}

function TextRow({ name, value, title, onChange }: RowProps<string> & { onChange: (value: string) => void }) {
  return (
    <div className="flex h-8 items-center justify-between gap-3">
      {title}
      <input
        key={value}
        aria-label={name}
        defaultValue={value}
        onBlur={(event) => event.target.value !== value && onChange(event.target.value)}
        onKeyDown={(event) => event.key === "Enter" && event.currentTarget.blur()}
        className="h-7 w-40 rounded-card border border-line bg-raised px-2"
      />
    </div>
  );
}
