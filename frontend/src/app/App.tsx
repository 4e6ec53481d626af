import { useCallback, useEffect } from "react";
import { AuditPage } from "../audit/AuditPage";
import { Bench } from "../editor/Bench";
import { GeneratePage } from "../generate/GeneratePage";
import { BatchPage } from "../library/BatchPage";
import { Library } from "../library/Library";
import { SpacePage } from "../library/SpacePage";
import { loadJobs, takeJob } from "../pack/jobs";
import { Notices, tellProblem } from "../ui/notices";
import { useAnnounced } from "./events";
import { KeysPage } from "./KeysPage";
import { Nowhere } from "./Nowhere";
import { usePlace } from "./router";

export function App() {
  const { page, material, batch } = usePlace();
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
      {page === "audit" && <AuditPage />}
      {page === "words" && <GeneratePage />}
      {page === "space" && <SpacePage />}
      {page === "batch" && <BatchPage key={batch} id={batch!} />}
      {page === "bench" && <Bench id={material!} />}
      {page === "library" && <Library />}
      {page === "nowhere" && <Nowhere />}
      <KeysPage />
      <Notices />
    </>
  );
}
