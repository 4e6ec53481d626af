/** One material open: stages, two views, settings, readout. */
import { memo, useCallback, useDeferredValue, useEffect } from "react";
import { go, usePlace, useTitle } from "../app/router";
import { useAnnounced } from "../app/events";
import { SkipLinks } from "../app/SkipLinks";
import { useKeys } from "../app/keys";
import { GuideBeside } from "../guide/GuideBeside";
import { Arrivals, bringMaps } from "../library/arrivals";
import { filesOf } from "../library/dropped";
import { Panel } from "../stages/Panel";
import { Button } from "../ui/Button";
import { Pane } from "../views/Pane";
import { STAGE_NAMES } from "../views/names";
import { wantFinding } from "../stages/check/wanted";
import { followViews, takeAddress } from "../views/address";
import { openStage, openViews, useViews } from "../views/state";
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
  // Names in an address mean nothing before it is known what there is.
  const ready = useEditor((state) => state.about !== null);
  const whole = useViews((state) => state.whole);
  const active = useViews((state) => state.active);
  const shown = useViews((state) => state.stage);
  const stage = usePlace((place) => place.stage);
  // The picture is drawn first; everything around it follows in the next moment.
  const before = useDeferredValue(material);
  useEffect(() => () => useViews.setState({ whole: false }), []);
  useEffect(() => {
    openMaterial(id).catch(tellProblem);
    openViews(id);
  }, [id]);
  // What the address tells: somebody came by a link, or went back.
  useEffect(() => {
    if (!ready) return;
    const { search } = location;
    if (stage && stage !== useViews.getState().stage) openStage(stage);
    if (stage) takeAddress(stage, search);
    wantFinding(search);
  }, [id, stage, ready]);
  useEffect(() => (ready ? followViews(id) : undefined), [id, ready]);
  useTitle(material?.id === id ? STAGE_NAMES[shown] : "", material?.id === id ? material.name : "");
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
      <main className="h-full bg-ground">
        <h1 className="sr-only">{material.name}</h1>
        <Pane side={active} material={material} />
        <Arrivals />
      </main>
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
      <SkipLinks
        to={[
          ["To what comes next", "[data-guided=next]"],
          ["To the settings", "[data-settings]"],
          ["To the first view", "[data-testid^=view-]"],
        ]}
      />
      <Line material={around} />
      <Unsaved />
      <div className="relative flex min-h-0 flex-1">
        <Stages material={around} />
        <main className="min-w-0 flex-1">
          <Views material={material} />
        </main>
        <GuideBeside />
        <Settings material={around} />
      </div>
      <Foot material={around} />
      <Arrivals />
    </div>
  );
}
