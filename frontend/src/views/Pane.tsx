/** One of the two views: what it shows, how, and the picture itself. */
import { lazy, memo, Suspense } from "react";
import { ArrowLeftRight, ChartArea, Fullscreen, Maximize2, Minimize2 } from "lucide-react";
import type { LayerId, Material } from "../api/types";
import { isCutOut } from "../editor/finished";
import { Choice } from "../ui/Choice";
import { Pick } from "../ui/Pick";
import { useNarrow } from "../ui/useNarrow";
import { cx } from "../ui/cx";
import { Flat } from "./Flat";
import { Histogram } from "./Histogram";
import { allLayers, layerName, ON_THE_WAY } from "./names";
import { wraps } from "./space";
import { type Channel, type Compare, type How, INPUT_OF, setView, type Side, useViews, type What } from "./state";
import { useLit, type Shape } from "../lit/state";

const Lit = lazy(() => import("../lit/Lit"));
const before = (layer: LayerId) => (ON_THE_WAY as LayerId[]).includes(layer);
const named = (layer: LayerId) => ({ value: layer as What, label: layerName(layer) });
const compared = (layer: LayerId) => layer.startsWith("truth_");
const groupsOf = (there: LayerId[]) => [
  { options: [{ value: "lit" as What, label: "Lit" }] },
  { label: "Maps", options: there.filter((layer) => !before(layer) && !compared(layer)).map(named) },
  ...(there.some(compared) ? [{ label: "To compare with", options: there.filter(compared).map(named) }] : []),
  { label: "On the way", options: ON_THE_WAY.map(named) },
];
const HOWS: { value: How; label: string; hint: string }[] = [
  { value: "single", label: "Single", hint: "One tile" },
  { value: "repeated", label: "Repeated", hint: "Side by side, as a renderer will" },
  { value: "shifted", label: "Shifted", hint: "Wrapped round by half: the borders lie in the middle" },
];
const CHANNELS: { value: Channel; label: string }[] = [
  { value: "all", label: "All channels" },
  { value: "value", label: "Value" },
  { value: "red", label: "Red" },
  { value: "green", label: "Green" },
  { value: "blue", label: "Blue" },
];
const COMPARES: { value: Compare; label: string }[] = [
  { value: "off", label: "Compare" },
  { value: "wipe", label: "Wipe" },
  { value: "blink", label: "Blink" },
  { value: "difference", label: "Difference" },
];
const SHAPES: { value: Shape; label: string }[] = [
  { value: "slab", label: "Slab" },
  { value: "ball", label: "Ball" },
  { value: "cube", label: "Cube" },
  { value: "column", label: "Column" },
  { value: "cloth", label: "Cloth" },
];

export function Pane({ side, material }: { side: Side; material: Material }) {
  const kept = useViews((state) => state.setups[state.stage][side]);
  const beside = useViews((state) => state.setups[state.stage].first.what);
  const cut = isCutOut(material);
  // A cut-out does not repeat, and its mask says more than its colour twice.
  const setup = cut
    ? {
        ...kept,
        how: "single" as How,
        what: side === "second" && kept.what === beside && beside === "base_color" ? ("opacity" as What) : kept.what,
      }
    : kept;
  const stage = useViews((state) => state.stage);
  const input = useViews((state) => state.input);
  const arrangement = useViews((state) => state.arrangement);
  const compare = useViews((state) => state.compare.mode);
  const whole = useViews((state) => state.whole);
  const histogram = useViews((state) => state.histogram);
  const there = allLayers().filter((layer) => material.keys[layer]);
  const wanted: What = input && setup.what !== "lit" ? INPUT_OF[stage] : setup.what;
  // A map that went with its file is not there to be shown.
  const what: What = wanted === "lit" || material.keys[wanted] ? wanted : "base_color";
  const alone = arrangement === side;
  return (
    <section
      aria-label={side === "first" ? "First view" : "Second view"}
      className="flex size-full min-h-0 min-w-0 flex-col"
    >
      <Head
        side={side}
        what={what}
        chosen={wanted === what || input ? setup.what : what}
        how={setup.how}
        channel={setup.channel}
        there={there.join(" ")}
        cut={cut}
        input={input}
        alone={alone}
        whole={whole}
        histogram={histogram}
      />
      <div className="relative min-h-0 flex-1">
        {what === "lit" ? (
          <Suspense fallback={<div className="size-full bg-surround" />}>
            <Lit material={material} />
          </Suspense>
        ) : (
          <>
            <Flat side={side} layer={what} setup={setup} material={material} />
            {histogram && <Histogram material={material} layer={what} channel={setup.channel} />}
            {setup.how === "repeated" && wraps(what) && <Repeats side={side} repeat={setup.repeat} />}
            {side === "first" && !alone && !whole && <CompareWith mode={compare} />}
          </>
        )}
      </div>
    </section>
  );
}

const Repeats = memo(function Repeats({ side, repeat }: { side: Side; repeat: number }) {
  return (
    <Pick
      label="Repeats"
      value={String(repeat)}
      groups={[{ options: [2, 3, 4, 6, 8].map((n) => ({ value: String(n), label: `${n} ×` })) }]}
      onChange={(next) => {
        setView(side, { repeat: Number(next) });
        useViews.setState({ look: null });
      }}
      className="absolute bottom-2 left-2 z-10 h-6 border-transparent bg-ground/85 px-1.5 text-[12px]"
    />
  );
});

const CompareWith = memo(function CompareWith({ mode }: { mode: Compare }) {
  return (
    <Pick
      label="Compare with the second view"
      value={mode}
      groups={[{ options: COMPARES }]}
      onChange={(mode) => useViews.setState((state) => ({ compare: { ...state.compare, mode } }))}
      className="absolute right-[62px] bottom-2 z-10 h-6 border-transparent bg-ground/85 px-1.5 text-[12px]"
    />
  );
});

interface HeadProps {
  side: Side;
  what: What;
  /** What is chosen, which is not what is shown while a key holds the stage's input up. */
  chosen: What;
  how: How;
  channel: Channel;
  /** Layers there are, with spaces between them: the same text as long as they are the same. */
  there: string;
  cut: boolean;
  input: boolean;
  alone: boolean;
  whole: boolean;
  histogram: boolean;
}

/** The line above a view. It hangs on none of the pixels, so a change of a setting leaves it alone. */
const Head = memo(function Head({
  side,
  what,
  chosen,
  how,
  channel,
  there,
  cut,
  input,
  alone,
  whole,
  histogram,
}: HeadProps) {
  const shape = useLit((state) => state.shape);
  const own = useLit((state) => state.shapeFile);
  const narrow = useNarrow();
  const shapes = own ? [...SHAPES, { value: "own" as Shape, label: "Own" }] : SHAPES;
  return (
    <header className="@container flex h-9 shrink-0 items-center gap-0.5 border-b border-line bg-ground px-1.5">
      {/* What does not fit is cut off here, never the button behind it. */}
      <div className="flex min-w-0 flex-1 items-center gap-1 overflow-hidden">
        <Pick
          label="What"
          value={chosen}
          groups={groupsOf(there.split(" ") as LayerId[])}
          onChange={(next) => setView(side, { what: next })}
          className="h-6.5 px-2 font-medium"
        />
        {what === "lit" ? (
          <>
            <span className="hidden @[390px]:pointer-fine:contents @[540px]:contents">
              <Choice
                label="Shape"
                value={shape}
                options={shapes}
                onChange={(next) => useLit.setState({ shape: next })}
              />
            </span>
            <span className="contents @[390px]:pointer-fine:hidden @[540px]:hidden">
              <Pick
                label="Shape"
                value={shape}
                groups={[{ options: shapes }]}
                onChange={(next) => useLit.setState({ shape: next })}
                className="h-6.5 px-1.5"
              />
            </span>
          </>
        ) : (
          <>
            {cut ? null : wraps(what) ? (
              <>
                <span className="hidden @[390px]:pointer-fine:contents @[540px]:contents">
                  <Choice label="How" value={how} options={HOWS} onChange={(next) => setView(side, { how: next })} />
                </span>
                <span className="contents @[390px]:pointer-fine:hidden @[540px]:hidden">
                  <Pick
                    label="How"
                    value={how}
                    groups={[{ options: HOWS }]}
                    onChange={(next) => setView(side, { how: next })}
                    className="h-6.5 px-1.5"
                  />
                </span>
              </>
            ) : (
              <span className="text-[12px] text-soft">before tiling</span>
            )}
            <Pick
              label="Channel"
              value={channel}
              groups={[{ options: CHANNELS.map((c) => (c.value === "all" ? { ...c, label: "All" } : c)) }]}
              onChange={(next) => setView(side, { channel: next })}
              className="h-6.5 px-1.5"
            />
          </>
        )}
      </div>
      {what !== "lit" && (
        <button
          type="button"
          aria-label="Histogram"
          aria-pressed={histogram}
          title="How the values are spread (d)"
          onClick={() => useViews.setState({ histogram: !histogram })}
          className={cx(
            "shrink-0 rounded-[5px] p-1 hover:bg-lifted hover:text-text",
            histogram ? "text-amber" : "text-soft",
          )}
        >
          <ChartArea size={13} />
        </button>
      )}
      {input && what !== "lit" && (
        <span className="rounded-[5px] bg-amber px-1.5 text-[11.5px] font-semibold text-on-amber">Input</span>
      )}
      <button
        type="button"
        aria-label={whole ? "Leave the whole window" : "Fill the window"}
        title={whole ? "Back (Esc)" : "Fill the whole window (w)"}
        onClick={() => useViews.setState({ whole: !whole, active: side })}
        className={cx("shrink-0 rounded-[5px] p-1 hover:bg-lifted hover:text-text", whole ? "text-amber" : "text-soft")}
      >
        <Fullscreen size={13} />
      </button>
      {narrow && (
        <button
          type="button"
          aria-label="The other view"
          title="The other view (v)"
          onClick={() => {
            const other = side === "first" ? "second" : "first";
            useViews.setState(({ arrangement }) => ({
              active: other,
              arrangement: arrangement === side ? other : arrangement,
            }));
          }}
          className="shrink-0 rounded-[5px] p-1 text-soft hover:bg-lifted hover:text-text"
        >
          <ArrowLeftRight size={13} />
        </button>
      )}
      {!whole && !narrow && (
        <button
          type="button"
          aria-label={alone ? "Show both views" : "Show this view alone"}
          title={alone ? "Show both views" : "Show this view alone"}
          onClick={() => useViews.setState({ arrangement: alone ? "beside" : side })}
          className="shrink-0 rounded-[5px] p-1 text-soft hover:bg-lifted hover:text-text"
        >
          {alone ? <Minimize2 size={13} /> : <Maximize2 size={13} />}
        </button>
      )}
    </header>
  );
});
