/** One layer, flat: single, repeated or shifted, with pan, zoom and what lies over it. */
import { type PointerEvent, type WheelEvent, useEffect, useLayoutEffect, useMemo, useRef } from "react";
import { useWorking } from "../editor/busy";
import { finishedWidth } from "../editor/finished";
import type { LayerId, Material } from "../api/types";
import { STAGES, useInstead } from "../stages/registry";
import { ProgressLine } from "../ui/ProgressLine";
import { CompareBar, useBlink } from "./Compare";
import { channelOf, clippingOf, differenceOf, draw, shownBox } from "./draw";
import { Evidence } from "./Evidence";
import { USUAL } from "./kept";
import { usePicture } from "./pictures";
import {
  extent,
  fitting,
  type Gaze,
  meetingScale,
  scaleAt,
  tileAspect,
  transform,
  wraps,
  zoomAt,
  zoomed,
} from "./space";
import { type Side, useViews, type ViewSetup } from "./state";
import { useSize } from "./useSize";
import { layerName } from "./names";

interface Props {
  side: Side;
  layer: LayerId;
  setup: ViewSetup;
  material: Material;
}

/** Layers whose clipped pixels are marked. */
const COLOURS = new Set<LayerId>(["gathered", "squared", "evened", "tiled", "base_color"]);

/** Larger pictures are asked for once the view magnifies the usual one. */
function sideFor(scale: number): number {
  return scale * devicePixelRatio > 1100 ? 2048 : USUAL;
}

export function Flat({ side, layer, setup, material }: Props) {
  const frame = useRef<HTMLDivElement>(null);
  const canvas = useRef<HTMLCanvasElement>(null);
  const { width, height } = useSize(frame);
  const kept = useViews((state) => state.look);
  const stage = useViews((state) => state.stage);
  const evidence = useViews((state) => state.evidence);
  const pointer = useViews((state) => state.pointer);
  const working = useWorking((state) => state.now);
  const aspect = tileAspect(material.preview);
  const box = extent(layer, material.preview);
  const { how, repeat, channel } = setup;
  const finished = finishedWidth(material);
  const fit = fitting(
    shownBox(layer, box, how, repeat),
    aspect,
    Math.max(width, 1),
    Math.max(height, 1),
    how === "repeated" && wraps(layer) ? 1 : 0.94,
  );
  const meet = meetingScale(finished);
  // A view that shows repeats of its own keeps its own fit until somebody zooms.
  const look: Gaze = kept ? { x: kept.x, y: kept.y, scale: scaleAt(fit.scale, meet, kept.zoom) } : fit;
  const t = transform(look, aspect, width, height);
  const spot = { side, layer, how };
  const asked = { id: material.id, side: sideFor(look.scale) };
  const ask = {
    ...asked,
    ...(useInstead(stage, spot, material) ?? { layer, key: material.keys[layer] ?? "", slot: `${side}-${layer}` }),
  };
  const { picture, waiting } = usePicture(ask);
  // What the second view shows, laid over the first one to compare them.
  const compare = useViews((state) => state.compare);
  const other = useViews((state) => state.setups[state.stage].second.what);
  const against =
    compare.mode !== "off" &&
    side === "first" &&
    other !== "lit" &&
    material.keys[other] &&
    wraps(other) === wraps(layer)
      ? other
      : null;
  // A snapshot is compared layer by layer.
  const then =
    compare.mode !== "off" &&
    side === "first" &&
    layer !== "gathered" &&
    material.snapshots.some((one) => one.id === compare.snapshot)
      ? compare.snapshot
      : null;
  const { picture: second } = usePicture(
    then !== null
      ? { ...asked, layer: `then:${then}:${layer}`, key: String(then), slot: "compare" }
      : against
        ? { ...asked, layer: against, key: material.keys[against]!, slot: "compare" }
        : null,
  );
  const blink = useBlink((against !== null || then !== null) && compare.mode === "blink");
  const clipping = useViews((state) => state.clipping) && STAGES[stage].clipping === true && COLOURS.has(layer);
  const source = useMemo(() => {
    const shown = picture && channelOf(picture.bitmap, channel);
    return shown && clipping ? clippingOf(shown) : shown;
  }, [picture, channel, clipping]);
  const beside = useMemo(() => (second ? channelOf(second.bitmap, channel) : null), [second, channel]);
  const difference = useMemo(
    () => (source && beside && compare.mode === "difference" ? differenceOf(source, beside, compare.gain) : null),
    [source, beside, compare.mode, compare.gain],
  );

  const drawn = useRef<unknown[]>([]);
  useLayoutEffect(() => {
    const target = canvas.current;
    const context = target?.getContext("2d", { alpha: false });
    if (!target || !context || !width) return;
    const density = devicePixelRatio;
    const [w, h] = [Math.round(width * density), Math.round(height * density)];
    if (target.width !== w || target.height !== h) [target.width, target.height] = [w, h];
    context.setTransform(density, 0, 0, density, 0, 0);
    const surround = getComputedStyle(target).getPropertyValue("--surround");
    const what = difference ?? (beside && blink ? beside : source);
    target.dataset.shown = picture?.name ?? "";
    // Drawing is most of what a change costs in the page: once for each thing to see, however often this is rendered.
    const scene = [
      what,
      compare.mode === "wipe" ? beside : null,
      compare.split,
      w,
      h,
      look.x,
      look.y,
      look.scale,
      aspect,
      layer,
      how,
      surround,
      ...Object.values(box),
    ];
    if (scene.length === drawn.current.length && scene.every((one, at) => one === drawn.current[at])) return;
    drawn.current = scene;
    if (what) {
      draw(context, width, height, t, { source: what, layer, box, how, surround });
      if (beside && compare.mode === "wipe") {
        context.save();
        context.beginPath();
        context.rect(compare.split * width, 0, width, height);
        context.clip();
        draw(context, width, height, t, { source: beside, layer, box, how, surround });
        context.restore();
      }
    } else {
      context.fillStyle = surround;
      context.fillRect(0, 0, width, height);
    }
  });

  const move = (next: Gaze) =>
    useViews.setState({ look: { x: next.x, y: next.y, zoom: zoomAt(fit.scale, meet, next.scale) } });
  const place = (event: PointerEvent | WheelEvent): [number, number] => {
    const bounds = frame.current!.getBoundingClientRect();
    return [event.clientX - bounds.left, event.clientY - bounds.top];
  };
  const drag = useRef<{ px: number; py: number; look: Gaze } | null>(null);

  useEffect(() => {
    const element = frame.current;
    if (!element) return;
    const wheel = (event: globalThis.WheelEvent) => {
      event.preventDefault();
      const bounds = element.getBoundingClientRect();
      const [px, py] = [event.clientX - bounds.left, event.clientY - bounds.top];
      move(
        zoomed(
          look,
          aspect,
          bounds.width,
          bounds.height,
          px,
          py,
          Math.exp(-event.deltaY * (event.ctrlKey ? 0.008 : 0.0016)),
        ),
      );
    };
    element.addEventListener("wheel", wheel, { passive: false });
    return () => element.removeEventListener("wheel", wheel);
  });

  // What does not repeat is not shown shifted either, whatever the view is set to.
  const shift = how === "shifted" && wraps(layer) ? 0.5 : 0;
  return (
    <div
      ref={frame}
      data-testid={`view-${side}`}
      role="img"
      aria-label={`${layerName(layer)}, ${how}`}
      className="relative size-full cursor-crosshair touch-none overflow-hidden bg-surround"
      onPointerDown={(event) => {
        if (event.button > 1) return;
        const [px, py] = place(event);
        drag.current = { px, py, look };
        event.currentTarget.setPointerCapture(event.pointerId);
        useViews.setState({ active: side });
      }}
      onPointerMove={(event) => {
        const [px, py] = place(event);
        const from = drag.current;
        if (from && event.buttons) {
          move({
            ...from.look,
            x: from.look.x - (px - from.px) / from.look.scale,
            y: from.look.y - (py - from.py) / (from.look.scale * aspect),
          });
        }
        const [x, y] = t.toTile(px, py);
        useViews.setState({ pointer: { x: x - shift, y: y - shift } });
      }}
      onPointerUp={() => (drag.current = null)}
      onPointerLeave={() => useViews.setState({ pointer: null })}
      onDoubleClick={() => useViews.setState({ look: null })}
    >
      <canvas ref={canvas} className="absolute inset-0 size-full" />
      <ProgressLine busy={waiting} share={working?.share} />
      {!picture && (
        <p className="absolute inset-0 grid place-items-center text-[12px] text-black/70">Making the picture …</p>
      )}
      {pointer && <Crosshair at={t.toScreen(pointer.x + shift, pointer.y + shift)} width={width} height={height} />}
      {evidence && (evidence.map === null || evidence.map === layer) && side === "first" && how === "single" && (
        <Evidence box={evidence.box} t={t} />
      )}
      <button
        type="button"
        aria-label="Zoom"
        title={kept ? "Click to fit" : "Click for 1:1"}
        onPointerDown={(event) => event.stopPropagation()}
        onClick={() =>
          kept ? useViews.setState({ look: null }) : move({ ...fit, scale: finished / devicePixelRatio })
        }
        className="figures absolute right-2 bottom-2 z-10 rounded-[5px] bg-ground/85 px-1.5 py-0.5 text-text hover:bg-lifted"
      >
        {Math.round(((look.scale * devicePixelRatio) / finished) * 100)} %
      </button>
      {(against || then !== null) && beside && (
        <CompareBar material={material} one={layer} other={against ?? layer} then={then} width={width} />
      )}
      {STAGES[stage].overlays.map(
        ({ id, shows, Over }) =>
          shows(spot) && (
            <Over
              key={id}
              material={material}
              layer={layer}
              box={box}
              t={t}
              shift={shift}
              bitmap={picture?.bitmap ?? null}
            />
          ),
      )}
    </div>
  );
}

function Crosshair({ at: [x, y], width, height }: { at: [number, number]; width: number; height: number }) {
  if (x < 0 || y < 0 || x > width || y > height) return null;
  return (
    <svg aria-hidden className="pointer-events-none absolute inset-0 size-full" style={{ mixBlendMode: "difference" }}>
      <path d={`M${x - 9} ${y}h6M${x + 3} ${y}h6M${x} ${y - 9}v6M${x} ${y + 3}v6`} stroke="#fff" strokeWidth="1" />
    </svg>
  );
}
