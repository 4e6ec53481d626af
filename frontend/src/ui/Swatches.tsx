/** Colours in a row; a press takes one out. */
import { X } from "lucide-react";

interface Props {
  colours: readonly string[];
  /** What a colour is taken out of, in words. */
  from: string;
  onDrop: (index: number) => void;
}

export function Swatches({ colours, from, onDrop }: Props) {
  return colours.map((colour, index) => (
    <button
      key={index}
      type="button"
      aria-label={`Take ${colour} out of ${from}`}
      title={`${colour}: take it out`}
      onClick={() => onDrop(index)}
      className="group grid size-5.5 place-items-center rounded-[5px] border border-line"
      style={{ background: colour }}
    >
      <X size={12} className="opacity-0 mix-blend-difference group-hover:opacity-100 group-focus:opacity-100" />
    </button>
  ));
}
