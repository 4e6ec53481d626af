import { Pipette } from "lucide-react";
import type { Material } from "../../api/types";
import { Button } from "../../ui/Button";
import { Told } from "../../ui/Told";
import { Facts } from "../../ui/Facts";
import { Operation } from "../Operation";
import { ColourTarget } from "./ColourTarget";
import { Files } from "./Files";
import { LightRing } from "./LightRing";
import { Merge } from "./Merge";
import { PlacePoints } from "./PlacePoints";
import { usePicking } from "./picking";
import { WalkBy } from "./WalkBy";
import { Triage } from "./Triage";

export function Gather({ material }: { material: Material }) {
  const { source } = material;
  const { picking } = usePicking();
  return (
    <>
      <Files material={material} />
      <Facts
        rows={[
          ["Size", `${((source.width * source.height) / 1e6).toFixed(1)} MP`],
          ["On disk", `${(source.bytes / 1e6).toFixed(1)} MB`],
        ]}
      />
      {source.origin && (
        <p className="py-1 text-[12.5px]">
          Made from the words “{source.origin.words}” by a <strong>{source.origin.provider.toLowerCase()}</strong>, seed{" "}
          {source.origin.seed}.
        </p>
      )}
      {material.files.some((file) => file.role === "light") && <LightRing material={material} />}
      {material.files.some((file) => file.role === "merged") && <Merge material={material} />}
      {material.files.some((file) => file.role === "walk") && <WalkBy material={material} />}
      {material.source.scan && (
        <section aria-label="Scan" className="border-t border-line pt-2 pb-1">
          <h3 className="font-medium">Projected from {material.source.scan.file}</h3>
          <Told rows={material.source.scan.told} />
        </section>
      )}
      <PlacePoints material={material} />
      <h3 className="mt-2 border-t border-line pt-2 font-medium">Triage</h3>
      <Triage material={material} />
      <h3 className="mt-1 flex items-center justify-between border-t border-line pt-2 font-medium">
        White and exposure
        <Button
          look={picking ? "main" : "quiet"}
          aria-pressed={picking}
          className="h-6 px-1.5 text-[12px]"
          onClick={() => usePicking.setState({ picking: !picking })}
        >
          <Pipette size={13} /> Neutral patch
        </Button>
      </h3>
      <Operation
        id="gather.white"
        without={source.format === "raw" ? [] : ["raw_white", "raw_highlights"]}
        flat={source.format === "raw"}
      />
      <ColourTarget material={material} />
      <h3 className="mt-1 border-t border-line pt-2 font-medium">Way up</h3>
      <Operation id="gather.orient" />
    </>
  );
}
