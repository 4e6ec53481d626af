/** Photographs of a walk-by: where the camera was held for each, seen from above, and the pictures that prove the height. */
import { useQuery } from "@tanstack/react-query";
import { ScanSearch, Square } from "lucide-react";
import { useCallback, useEffect, useState } from "react";
import { api } from "../../api/client";
import { useAnnounced } from "../../app/events";
import type { Material } from "../../api/types";
import { setRole } from "../../editor/store";
import { Button } from "../../ui/Button";
import { Told } from "../../ui/Told";
import { Dialog } from "../../ui/Dialog";
import { tellProblem } from "../../ui/notices";
import { Setting } from "../Setting";
import { findWalk, useWalk } from "./walk";

const R = 62;
/** From this share of the work on there is a rough height. */
const ROUGH = 0.66;
type Shown = "height" | "broad" | "fine" | "agree";
const PICTURES: Record<Shown, { label: string; title: string; about: string }> = {
  height: {
    label: "Height",
    title: "Height as it was told",
    about: "Bright is high. Movement and fine relief together.",
  },
  broad: {
    label: "By movement",
    title: "Height by what moved",
    about: "Bright is high. What is a few px wide is soft.",
  },
  fine: {
    label: "Fine",
    title: "What tone and shading add",
    about: "Bright is higher than movement says. The light's side was fitted to what movement is sure of.",
  },
  agree: {
    label: "Where sure",
    title: "Where photographs agree",
    about: "White: all photographs agree; black: what is around was taken.",
  },
};

/** When a rough height is there while it is looked for: a number to ask for its picture with; 0 before. */
function useRough(id: string, looking: boolean): number {
  const [at, setAt] = useState(0);
  useEffect(() => {
    if (!looking) setAt(0);
  }, [looking]);
  useAnnounced(
    "working",
    useCallback(
      (told: { id: string; share: number; what: string }) => {
        if (told.id === id && told.share >= ROUGH) setAt((now) => now || Date.now());
      },
      [id],
    ),
  );
  return at;
}

export function WalkBy({ material }: { material: Material }) {
  const { looking, found } = useWalk();
  const rough = useRough(material.id, looking);
  const [shown, setShown] = useState<Shown | null>(null);
  const walk = useQuery({
    queryKey: [
      "walk",
      material.id,
      JSON.stringify(material.recipe.operations["gather.walk"] ?? {}),
      material.source.key,
    ],
    queryFn: () => api.walk(material.id),
    placeholderData: (old) => old,
  });
  const frames = walk.data?.frames ?? [];
  const reach = Math.max(0.05, ...frames.map(({ aside: [x, y] }) => Math.hypot(x, y)));
  const told = found?.id === material.id ? found.told : [];
  return (
    <section aria-label="Walk-by" className="border-t border-line pt-2">
      <h3 className="flex items-center justify-between font-medium">
        Walk-by
        {looking ? (
          <Button
            look="quiet"
            className="h-6 px-1.5 text-[12px]"
            onClick={() => void api.stopWalk(material.id).catch(tellProblem)}
          >
            <Square size={11} /> Stop looking
          </Button>
        ) : (
          <Button look="quiet" className="h-6 px-1.5 text-[12px]" onClick={() => void findWalk()}>
            <ScanSearch size={13} /> {walk.data?.found ? "Find anew" : "Find the height"}
          </Button>
        )}
      </h3>
      {looking && rough && (
        <figure className="py-1">
          <img
            src={`/api/materials/${material.id}/walk/rough.jpg?at=${rough}`}
            alt="A first, rough height"
            className="block w-full rounded-card"
          />
          <figcaption className="text-[12px] text-soft">A first, rough height; the real one follows.</figcaption>
        </figure>
      )}
      {walk.data?.found && (
        <svg
          viewBox="-100 -82 200 164"
          width="200"
          height="164"
          role="img"
          aria-label="Where the camera was held, seen from above"
          className="mx-auto block py-1"
        >
          <circle r={R} fill="none" stroke="var(--line)" strokeDasharray="2 4" />
          <rect x="-22" y="-18" width="44" height="36" rx="2" fill="var(--raised)" stroke="var(--line)" />
          {frames.map(({ file, aside: [x, y] }, index) => (
            <g key={file} transform={`translate(${(x / reach) * R} ${(y / reach) * R})`}>
              <circle
                r="10"
                fill="var(--lifted)"
                stroke={index === 0 ? "var(--amber)" : "var(--soft)"}
                strokeWidth={index === 0 ? 2 : 1}
              />
              <text y="3.500" textAnchor="middle" fontSize="10" fill="var(--text)" className="figures">
                {index + 1}
              </text>
            </g>
          ))}
        </svg>
      )}
      {told.length > 0 && <Told rows={told} />}
      {walk.data?.found && (
        <div className="flex flex-wrap gap-1 py-1">
          {(Object.keys(PICTURES) as Shown[]).map((kind) => (
            <Button key={kind} className="h-6 px-1.5 text-[12px]" onClick={() => setShown(kind)}>
              {PICTURES[kind].label}
            </Button>
          ))}
        </div>
      )}
      <ol className="flex flex-col">
        {frames.map((frame, index) => (
          <li key={frame.file} className="flex h-7 items-center gap-2">
            <span className="figures w-4 text-soft">{index + 1}</span>
            <span translate="no" className="min-w-0 flex-1 truncate" title={frame.name}>
              {frame.name}
            </span>
            <Button
              look="quiet"
              disabled={index === 0}
              className="h-6 px-1.5 text-[12px]"
              title={index === 0 ? "All lies on this one" : "Leave it out"}
              onClick={() => void setRole(frame.file, "")}
            >
              {index === 0 ? "First" : "Out"}
            </Button>
          </li>
        ))}
      </ol>
      <Setting path="gather.walk.colour" />
      <Setting path="gather.walk.fine" />
      {shown && walk.data && (
        <Dialog title={PICTURES[shown].title} about={PICTURES[shown].about} open onClose={() => setShown(null)} wide>
          <img
            src={`/api/materials/${material.id}/walk/${shown}.jpg?key=${walk.data.key}`}
            alt={PICTURES[shown].title}
            className="mx-auto block max-h-[62vh]"
          />
        </Dialog>
      )}
    </section>
  );
}
