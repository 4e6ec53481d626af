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
import { usePlace } from "./router";

export function App() {
  const { material, audit, words, space, batch } = usePlace();
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
      {audit ? (
        <AuditPage />
      ) : words ? (
        <GeneratePage />
      ) : space ? (
        <SpacePage />
      ) : batch ? (
        <BatchPage key={batch} id={batch} />
      ) : material ? (
        <Bench id={material} />
      ) : (
        <Library />
      )}
      <KeysPage />
      <Notices />
    </>
  );
}
