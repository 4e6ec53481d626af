/** Before and after of enlarging with the picture's own detail, at 1:1, where the pointer last rested. */
import { useEffect, useState } from "react";
import { request } from "../../api/client";
import type { Material } from "../../api/types";
import { busy, whenRested } from "../../editor/busy";
import { useViews } from "../../views/state";

interface Found {
  url: string;
  gain: number;
  doublings: number;
  finest: number;
}

export function Enlarged({ material }: { material: Material }) {
  const [found, setFound] = useState<Found | null>(null);
  const look = useViews((state) => state.look);
  const [x, y] = look ? [look.x, look.y] : [0.5, 0.5];
  const key = material.pictures.enlarged;
  useEffect(() => {
    const control = new AbortController();
    const callOff = whenRested(() => {
      const done = busy("enlarging");
      request(
        `/api/materials/${material.id}/enlarged?x=${(((x % 1) + 1) % 1).toFixed(3)}&y=${(((y % 1) + 1) % 1).toFixed(3)}&key=${key}&follow=1`,
        { signal: control.signal },
      )
        .then(async (answer) => {
          const head = (name: string) => Number(answer.headers.get(name));
          const url = URL.createObjectURL(await answer.blob());
          setFound((old) => {
            if (old) URL.revokeObjectURL(old.url);
            return { url, gain: head("X-Gain"), doublings: head("X-Doublings"), finest: head("X-Finest") };
          });
        })
        // Called off by a newer one; the old picture stays.
        .catch(() => {})
        .finally(done);
    }, 260);
    return () => {
      callOff();
      control.abort();
    };
  }, [key, material.id, x, y]);
  if (!found) return null;
  if (!found.doublings)
    return (
      <p className="py-1 text-[12px] text-soft">
        Nothing to gain: the picture has as many pixels as the maps ask for ({found.gain.toFixed(2)} ×).
      </p>
    );
  return (
    <figure className="py-1">
      <img
        src={found.url}
        alt="The middle of the view at 1:1: plainly enlarged on the left, with own detail on the right"
        className="w-full rounded-card bg-surround"
        style={{ imageRendering: "pixelated" }}
      />
      <figcaption className="flex justify-between pt-1 text-[12px] text-soft">
        <span>Plain</span>
        <span className="figures">finest detail {found.finest.toFixed(2)} ×</span>
        <span>Own detail</span>
      </figcaption>
    </figure>
  );
}
