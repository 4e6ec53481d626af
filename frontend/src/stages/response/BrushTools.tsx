/** Size and shape of the brush in hand, and the strokes that were drawn with it. */
import { X } from "lucide-react";
import type { KeyboardEvent } from "react";
import type { Material } from "../../api/types";
import { arrowStep } from "../../ui/arrows";
import { Choice } from "../../ui/Choice";
import { cx } from "../../ui/cx";
import { Slider } from "../../ui/Slider";
import type { Point } from "../../views/capture";
import { putPoints, type Task, useDrawing, useStrokesOf } from "./drawing";

export function BrushTools({ material, task }: { material: Material; task: Task }) {
  const { outline, radius, chosen } = useDrawing();
  const per = material.preview.finished[0];
  const strokes = useStrokesOf(task);
  const nudge = (event: KeyboardEvent, index: number) => {
    const by = arrowStep(event, 0.005, 0.0005);
    if (by)
      putPoints(
        task,
        index,
        strokes[index]!.points.map(([x, y]): Point => [x + by[0], y + by[1]]),
      );
  };
  return (
    <>
      <div className="flex items-center justify-between py-0.5">
        <span>Shape</span>
        <Choice
          label="Shape of the brush"
          value={outline ? "outline" : "stroke"}
          options={[
            { value: "stroke", label: "Stroke" },
            { value: "outline", label: "Outline" },
          ]}
          onChange={(next) => useDrawing.setState({ outline: next === "outline" })}
        />
      </div>
      {!outline && (
        <Plain
          label="Size of the brush"
          shown="Size"
          text={`${Math.round(radius * 2 * per)} px`}
          value={radius * 100}
          min={0.2}
          max={20}
          step={0.1}
          onChange={(next) => useDrawing.setState({ radius: next / 100 })}
        />
      )}
      {strokes.length > 0 && (
        <ul aria-label="Strokes" className="flex max-h-32 flex-col overflow-y-auto pt-1">
          {strokes.map((stroke, index) => (
            <li
              key={index}
              className={cx(
                "flex h-6.5 items-center justify-between rounded-[5px] px-1",
                chosen === index && "bg-lifted",
              )}
            >
              <button
                type="button"
                aria-pressed={chosen === index}
                className="figures flex-1 text-left"
                onKeyDown={(event) => chosen === index && nudge(event, index)}
                onClick={() => useDrawing.setState({ chosen: chosen === index ? null : index })}
              >
                {index + 1} · {stroke.radius ? `${Math.round(stroke.radius * 2 * per)} px` : "outline"}
              </button>
              <button
                type="button"
                aria-label={`Take stroke ${index + 1} back`}
                className="rounded-[5px] p-1 text-soft hover:bg-ground hover:text-text"
                onClick={() => {
                  useDrawing.setState({ chosen: null });
                  putPoints(task, index, null);
                }}
              >
                <X size={13} />
              </button>
            </li>
          ))}
        </ul>
      )}
      <p className="pt-1 text-[12px] text-soft">
        {chosen !== null
          ? "Drag the marked stroke in the first view to move it, or use the arrow keys."
          : "Draw on the first view. Esc lays the brush down."}
      </p>
    </>
  );
}

interface PlainProps {
  label: string;
  shown: string;
  text: string;
  value: number;
  min: number;
  max: number;
  step: number;
  onChange: (value: number) => void;
}

/** A number that belongs to the brush, not to the recipe. */
export function Plain({ label, shown, text, ...slider }: PlainProps) {
  return (
    <div className="py-0.5">
      <p className="flex justify-between">
        <span>{shown}</span>
        <span className="figures text-soft">{text}</span>
      </p>
      <Slider label={label} valueText={text} {...slider} />
    </div>
  );
}
