/** The guide in a window of its own. */
import { ArrowLeft } from "lucide-react";
import { lazy, Suspense, useState } from "react";
import { go, goTo, usePlace, useTitle } from "../app/router";
import { ThemeButton } from "../editor/TopLine";
import { Mark } from "../ui/Mark";
import { beginFirstJob } from "./firstJob";
import { Button } from "../ui/Button";

const Reader = lazy(() => import("./Reader"));

export function GuidePage() {
  const page = usePlace((place) => place.reading) ?? "README";
  const [anchor, setAnchor] = useState(location.hash.slice(1));
  useTitle("Guide");
  return (
    <div className="flex h-full flex-col">
      <header className="flex h-14 shrink-0 items-center gap-3 border-b border-line px-6">
        <button type="button" onClick={() => go(null)} className="flex items-center gap-2 text-soft hover:text-text">
          <Mark size={26} /> <ArrowLeft size={14} /> Library
        </button>
        <h1 className="text-[16px] font-semibold">Guide</h1>
        <span className="flex-1" />
        <Button onClick={() => beginFirstJob()}>Show me the first job</Button>
        <ThemeButton />
      </header>
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
