/** One layer, flat: single, repeated or shifted, with pan, zoom and what lies over it. */
import { useMemo, useRef } from "react";
import { useWorking } from "../editor/busy";
import { finishedWidth, isCutOut } from "../editor/finished";
import type { LayerId, Material } from "../api/types";
import { STAGES, useInstead } from "../stages/registry";
import { ProgressLine } from "../ui/ProgressLine";
import { CompareBar } from "./Compare";
import { channelOf, clippingOf } from "./draw";
import { Evidence } from "./Evidence";
import { USUAL } from "./kept";
import { usePicture } from "./pictures";
import { type Side, useViews, type ViewSetup } from "./state";
import { useCompared } from "./useCompared";
import { useGaze } from "./useGaze";
import { wraps } from "./space";
import { tileSetOf, useTileSet } from "./useTileSet";
import { usePainted } from "./usePainted";
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
  const stage = useViews((state) => state.stage);
  const evidence = useViews((state) => state.evidence);
  const pointer = useViews((state) => state.pointer);
  const working = useWorking((state) => state.now);
  const { how, channel } = setup;
  const finished = finishedWidth(material);
  const gaze = useGaze(frame, side, layer, setup, material);
  const { width, height, aspect, box, fit, look, t, shift, kept, move } = gaze;
  const percent = Math.round(((look.scale * devicePixelRatio) / finished) * 100);
  const spot = { side, layer, how };
  const asked = { id: material.id, side: sideFor(look.scale) };
  const own = { layer, key: material.keys[layer] ?? "", slot: `${side}-${layer}` };
  const { picture, waiting } = usePicture({ ...asked, ...(useInstead(stage, spot, material) ?? own) });
  const random = how === "repeated" && wraps(layer) && tileSetOf(material).count > 1;
  const set = useTileSet(random, side, layer, channel, material, asked.side);
  const clipping = useViews((state) => state.clipping) && STAGES[stage].clipping === true && COLOURS.has(layer);
  const source = useMemo(() => {
    const shown = picture && channelOf(picture.bitmap, channel);
    return shown && clipping ? clippingOf(shown) : shown;
  }, [picture, channel, clipping]);
  const { against, then, beside, instead, mode, split } = useCompared(side, layer, channel, material, asked, source);
  usePainted(canvas, picture?.name ?? "", {
    width,
    height,
    t,
    what: instead ?? source,
    others: set.others,
    wiped: mode === "wipe" ? beside : null,
    split,
    layer,
    box,
    how,
    alone: isCutOut(material),
    where: [look.x, look.y, look.scale, aspect],
  });
  return (
    <div
      ref={frame}
      data-testid={`view-${side}`}
      role="application"
      aria-roledescription="picture"
      aria-label={`${side === "first" ? "First" : "Second"} view: ${layerName(layer)}, ${how}`}
      tabIndex={0}
      className="relative size-full cursor-crosshair touch-none overflow-hidden bg-surround"
      {...gaze.hand}
    >
      <canvas ref={canvas} className="absolute inset-0 size-full" />
      <ProgressLine busy={waiting || set.waiting} share={working?.share} />
      {!picture && (
        <p className="absolute inset-0 grid place-items-center text-[12px] text-black/70">Making the picture …</p>
      )}
      {pointer && <Crosshair at={t.toScreen(pointer.x + shift, pointer.y + shift)} width={width} height={height} />}
      {evidence && (evidence.map === null || evidence.map === layer) && side === "first" && how === "single" && (
        <Evidence box={evidence.box} t={t} />
      )}
      <button
        type="button"
        aria-label={`Zoom ${percent} %`}
        title={kept ? "Click to fit" : "Click for 1:1"}
        onPointerDown={(event) => event.stopPropagation()}
        onClick={() =>
          kept ? useViews.setState({ look: null }) : move({ ...fit, scale: finished / devicePixelRatio })
        }
        className="figures absolute right-2 bottom-2 z-10 rounded-[5px] bg-ground/85 px-1.5 py-0.5 text-text hover:bg-lifted"
      >
        {percent} %
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
