/** What each stage puts on the page: its panel, what lies over the flat views, and what they show in place of a layer. */
import type { FunctionComponent } from "react";
import type { LayerId, Material, StageId } from "../api/types";
import { isCutOut } from "../editor/finished";
import { BrushLayer } from "../views/BrushLayer";
import { CropHandles } from "../views/CropHandles";
import { DrawLayer } from "../views/DrawLayer";
import { BendPoints, CornerHandles, LevelLine, NeutralPick } from "../views/FlatHandles";
import { Joins } from "../views/Joins";
import { PlaceMarks } from "../views/PlaceMarks";
import type { PictureAsk } from "../views/pictures";
import { RepeatGrid } from "../views/RepeatGrid";
import { type Box, type Transform, wraps } from "../views/space";
import { type How, type Side, useViews } from "../views/state";
import { tileSetOf } from "../views/useTileSet";
import { Check } from "./check/Check";
import { Even } from "./even/Even";
import { Gather } from "./gather/Gather";
import { useLights, useRing } from "./gather/lights";
import { usePicking } from "./gather/picking";
import { Pack } from "./pack/Pack";
import { Relief } from "./relief/Relief";
import { Response } from "./response/Response";
import { ZonesFound } from "../views/ZonesFound";
import { useZones } from "./response/zones";
import { Square } from "./square/Square";
import { useTool } from "./square/tool";
import { drawsOnTile, useBrush } from "./tile/brush";
import { useMarking } from "./tile/marking";
import { Tile } from "./tile/Tile";
import { layDownTool } from "./tools";

/** Where something may be drawn: a flat view, and what it shows. */
export interface Spot {
  side: Side;
  layer: LayerId;
  how: How;
}
export interface OverlayProps {
  material: Material;
  layer: LayerId;
  /** Of the layer, on the tile. */
  box: Box;
  t: Transform;
  /** How far the tile is wrapped round in this view. */
  shift: number;
  bitmap: ImageBitmap | null;
}
type Instead = Pick<PictureAsk, "layer" | "key" | "slot">;
interface Overlay {
  id: string;
  shows: (spot: Spot) => boolean;
  Over: FunctionComponent<OverlayProps>;
}
export interface Stage {
  Panel: FunctionComponent<{ material: Material }>;
  overlays: Overlay[];
  /** What may take the place of a layer: a photograph of the light set, a zone that is shown alone, or the tile that
   * those of a set are made of. */
  instead?: "proof" | "zone" | "joined";
  /** Pixels at an end of their range can be marked. */
  clipping?: boolean;
}

const onPhotograph = ({ layer }: Spot) => layer === "gathered";
const worked = ({ side, how }: Spot) => side === "first" && how !== "repeated";
const onTile = (spot: Spot) => worked(spot) && wraps(spot.layer);

function Neutral(props: OverlayProps) {
  return usePicking((state) => state.picking) ? <NeutralPick {...props} /> : null;
}

function SquareTool(props: OverlayProps) {
  const tool = useTool((state) => state.tool);
  if (tool === "crop") return <CropHandles {...props} />;
  if (tool === "corners") return <CornerHandles {...props} />;
  return tool === "level" ? <LevelLine {...props} /> : <BendPoints {...props} />;
}

/** A cut-out does not repeat: nothing of it stands out at every repeat. */
function PlacesOfTile(props: OverlayProps) {
  return isCutOut(props.material) ? null : <PlaceMarks {...props} />;
}

function JoinsWhereAsked(props: OverlayProps) {
  return useMarking((state) => state.joins) ? <Joins {...props} /> : null;
}

/** A photograph of a light set is looked at in place of what is made of it. */
function useProof({ side, layer }: Spot, material: Material, asked: boolean): Instead | null {
  const lamp = useLights((state) => state.shown);
  const lights = useRing(material, asked && lamp !== null).data;
  if (!asked || !lamp || !lights?.key || side !== "first" || layer !== "gathered") return null;
  return { layer: `light:${lamp.number}:${lamp.what}` as const, key: lights.key, slot: "proof" };
}

/** A zone that is shown alone takes the place of the layer in the first view. */
function useZoneAlone({ side, layer }: Spot, material: Material, asked: boolean): Instead | null {
  const zone = useZones((state) => state.shown);
  if (!asked || !zone || side !== "first" || !wraps(layer) || !material.zones[zone]) return null;
  return { layer: `zone:${zone}` as const, key: material.zones[zone], slot: `${side}-zone` };
}

/** Strokes lie on the tile that those of a set are made of: that is shown while one is drawn. */
function useJoined({ side, layer }: Spot, material: Material, asked: boolean): Instead | null {
  const onTile = useBrush(drawsOnTile);
  if (!asked || !onTile || side !== "first" || !wraps(layer) || tileSetOf(material).count < 2) return null;
  return { layer: `of:0:${layer}` as const, key: material.keys[layer] ?? "", slot: `${side}-joined` };
}

/** The picture that takes the place of a layer in a stage, if any does. */
export function useInstead(stage: StageId, spot: Spot, material: Material): Instead | null {
  const { instead } = STAGES[stage];
  const proof = useProof(spot, material, instead === "proof");
  const zone = useZoneAlone(spot, material, instead === "zone");
  const joined = useJoined(spot, material, instead === "joined");
  return proof ?? zone ?? joined;
}

const drawing: Overlay = { id: "drawing", shows: onTile, Over: DrawLayer };

export const STAGES: Record<StageId, Stage> = {
  gather: { Panel: Gather, overlays: [{ id: "neutral", shows: onPhotograph, Over: Neutral }], instead: "proof" },
  square: { Panel: Square, overlays: [{ id: "square", shows: onPhotograph, Over: SquareTool }] },
  even: { Panel: Even, overlays: [], clipping: true },
  tile: {
    Panel: Tile,
    instead: "joined",
    overlays: [
      { id: "joins", shows: (spot) => worked(spot) && !onPhotograph(spot), Over: JoinsWhereAsked },
      { id: "places", shows: onTile, Over: PlacesOfTile },
      drawing,
      { id: "brush", shows: (spot) => worked(spot) && !onPhotograph(spot), Over: BrushLayer },
      { id: "repeats", shows: onPhotograph, Over: RepeatGrid },
    ],
  },
  relief: { Panel: Relief, overlays: [drawing], instead: "zone" },
  response: {
    Panel: Response,
    overlays: [{ id: "zones found", shows: onTile, Over: ZonesFound }, drawing],
    instead: "zone",
  },
  check: { Panel: Check, overlays: [] },
  pack: { Panel: Pack, overlays: [] },
};

// What was in hand in another stage has nothing to do here.
useViews.subscribe((now, before) => {
  if (now.stage !== before.stage) layDownTool();
});
