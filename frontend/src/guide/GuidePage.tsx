/** The guide in a window of its own. */
import { lazy, Suspense, useState } from "react";
import { goTo, usePlace, useTitle } from "../app/router";
import { beginFirstJob } from "./firstJob";
import { Button } from "../ui/Button";
import { PageHeader } from "../app/PageHeader";

const Reader = lazy(() => import("./Reader"));

export function GuidePage() {
  const page = usePlace((place) => place.reading) ?? "README";
  const [anchor, setAnchor] = useState(location.hash.slice(1));
  useTitle("Guide");
  return (
    <div className="flex h-full flex-col">
      <PageHeader title="Guide">
        <Button onClick={() => beginFirstJob()}>Show me the first job</Button>
      </PageHeader>
      <main className="min-h-0 flex-1 px-6">
        <Suspense fallback={null}>
          <Reader
            page={page}
            anchor={anchor}
            onOpen={(next, at) => {
              goTo(`/guide/${next}`);
              setAnchor(at);
            }}
          />
        </Suspense>
      </main>
    </div>
  );
}
