import { lazy, Suspense, useCallback, useEffect } from "react";
import { Bench } from "../editor/Bench";
import { FirstJob } from "../guide/FirstJob";
import { Library } from "../library/Library";
import { loadJobs, takeJob } from "../pack/jobs";
import { Notices, tellProblem } from "../ui/notices";
import { useAnnounced } from "./events";
import { Away } from "./Away";
import { useKeptFocus } from "./focus";
import { KeysPage } from "./KeysPage";
import { Nowhere } from "./Nowhere";
import { usePlace } from "./router";
import { ErrorBoundary } from "./ErrorBoundary";

// What is opened now and then is fetched then.
const AuditPage = lazy(async () => ({ default: (await import("../audit/AuditPage")).AuditPage }));
const BatchPage = lazy(async () => ({ default: (await import("../library/BatchPage")).BatchPage }));
const GeneratePage = lazy(async () => ({ default: (await import("../generate/GeneratePage")).GeneratePage }));
const GuidePage = lazy(async () => ({ default: (await import("../guide/GuidePage")).GuidePage }));
const SpacePage = lazy(async () => ({ default: (await import("../library/SpacePage")).SpacePage }));

export function App() {
  const { page, material, batch } = usePlace();
  useKeptFocus(`${page}/${material ?? batch ?? ""}`);
  useEffect(() => {
    loadJobs().catch(tellProblem);
  }, []);
  useAnnounced("job", takeJob);
  useAnnounced(
    "back",
    useCallback(() => void loadJobs().catch(tellProblem), []),
  );
  return (
    <>
      <ErrorBoundary key={`${page}/${material ?? batch ?? ""}`}>
        <Suspense fallback={<div className="h-full bg-ground" />}>
          {page === "audit" && <AuditPage />}
          {page === "words" && <GeneratePage />}
          {page === "space" && <SpacePage />}
          {page === "batch" && <BatchPage key={batch} id={batch!} />}
          {page === "bench" && <Bench id={material!} />}
          {page === "library" && <Library />}
          {page === "guide" && <GuidePage />}
          {page === "nowhere" && <Nowhere />}
        </Suspense>
      </ErrorBoundary>
      <KeysPage />
      <Away />
      <FirstJob />
      <Notices />
    </>
  );
}
