/** One material open: stages, two views, settings, readout. */
import { memo, useCallback, useDeferredValue, useEffect } from "react";
import type { StageId } from "../api/types";
import { go } from "../app/router";
import { useAnnounced } from "../app/events";
import { useKeys } from "../app/keys";
import { Arrivals, bringMaps } from "../library/arrivals";
import { filesOf } from "../library/dropped";
import { Panel } from "../stages/Panel";
import { Button } from "../ui/Button";
import { Pane } from "../views/Pane";
import { STAGE_NAMES } from "../views/names";
import { openStage, useViews } from "../views/state";
import { Views } from "../views/Views";
import { heardOf } from "./busy";
import { Readout } from "./Readout";
import { StageColumn } from "./StageColumn";
import { catchUp, openMaterial, useEditor } from "./store";
import { TopLine, Unsaved } from "./TopLine";
import { tellProblem } from "../ui/notices";

/** What is told about a change besides its picture. */
const Stages = memo(StageColumn);
const Settings = memo(Panel);
const Line = memo(TopLine);
const Foot = memo(Readout);

export function Bench({ id }: { id: string }) {
  const material = useEditor((state) => state.material);
  const missing = useEditor((state) => state.missing);
  const whole = useViews((state) => state.whole);
  const active = useViews((state) => state.active);
  // The picture is drawn first; everything around it follows in the next moment.
  const before = useDeferredValue(material);
  useEffect(() => () => useViews.setState({ whole: false }), []);
  useEffect(() => {
    openMaterial(id).catch(tellProblem);
    // Who was sent here by a report sees what it is about.
    const stage = location.hash.slice(1);
    if (stage in STAGE_NAMES) openStage(stage as StageId);
  }, [id]);
  useAnnounced(
    "material",
    useCallback((told) => void (told.id === id && catchUp(told.revision).catch(tellProblem)), [id]),
  );
  useAnnounced(
    "back",
    useCallback(() => void catchUp().catch(tellProblem), []),
  );
  useAnnounced(
    "working",
    useCallback((told) => void (told.id === id && heardOf(told.share, told.what)), [id]),
  );
  useEffect(() => {
    const paste = (event: ClipboardEvent) => {
      if (event.clipboardData?.files.length) void filesOf(event.clipboardData).then((files) => bringMaps(id, files));
    };
    addEventListener("paste", paste);
    return () => removeEventListener("paste", paste);
  }, [id]);
  useKeys();
  if (missing) {
    return (
      <div className="grid h-full place-items-center">
        <div className="text-center">
          <p className="text-[15px] font-semibold">{missing.message}</p>
          <p className="mb-3 text-soft">{missing.detail}</p>
          <Button onClick={() => go(null)}>To the library</Button>
        </div>
      </div>
    );
  }
  if (!material || material.id !== id) return <div className="h-full bg-ground" />;
  const around = before?.id === id ? before : material;
  if (whole)
    return (
      <div className="h-full bg-ground">
        <Pane side={active} material={material} />
        <Arrivals />
      </div>
    );
  return (
    <div
      className="flex h-full flex-col"
      onDragOver={(event) => event.dataTransfer.types.includes("Files") && event.preventDefault()}
      onDrop={(event) => {
        event.preventDefault();
        void filesOf(event.dataTransfer).then((files) => bringMaps(material.id, files));
      }}
    >
      <Line material={around} />
      <Unsaved />
      <div className="flex min-h-0 flex-1">
        <Stages material={around} />
        <main className="min-w-0 flex-1">
          <Views material={material} />
        </main>
        <Settings material={around} />
      </div>
      <Foot material={around} />
      <Arrivals />
    </div>
  );
}
