/** The lit view: the maps on a shape under surroundings and one lamp. Drag turns, wheel comes closer. */
import { Download, SlidersHorizontal } from "lucide-react";
import { Popover } from "radix-ui";
import { type PointerEvent, useEffect, useRef, useState, useLayoutEffect } from "react";
import { busy } from "../editor/busy";
import { saveFile } from "../ui/saveFile";
import { ProgressLine } from "../ui/ProgressLine";
import { calledOff, hasPassed } from "../api/client";
import { tellProblem } from "../ui/notices";
import type { Material } from "../api/types";
import { useSize } from "../views/useSize";
import { LampPad } from "./LampPad";
import { LitOptions } from "./LitOptions";
import { type Further, LitRenderer } from "./renderer";
import { shapeFileOf } from "./files";
import { readShape } from "./own";
import { StillButton } from "./Still";
import { heightField, light, mapPicture } from "./sources";
import { openLit, resetCamera, useLit } from "./state";

const STILL_MS = 140;

export default function Lit({ material }: { material: Material }) {
  const frame = useRef<HTMLDivElement>(null);
  const canvas = useRef<HTMLCanvasElement>(null);
  const renderer = useRef<LitRenderer | null>(null);
  const [refused, setRefused] = useState(false);
  const [waiting, setWaiting] = useState(0);
  const { width, height } = useSize(frame);
  const setup = useLit();

  useEffect(() => {
    try {
      renderer.current = new LitRenderer(canvas.current!);
    } catch {
      setRefused(true);
    }
    return () => {
      renderer.current?.dispose();
      renderer.current = null;
    };
  }, []);

  const { id } = material;
  useLayoutEffect(() => {
    void openLit(id, async (of) => {
      const file = await shapeFileOf(of);
      return file && readShape(file);
    });
  }, [id]);

  const redraw = useRef<(moving: boolean) => void>(() => {});
  useEffect(() => {
    redraw.current = (moving) => {
      if (!canvas.current) return;
      const surround = getComputedStyle(canvas.current).getPropertyValue("--surround").trim() || "#777777";
      renderer.current?.resize(Math.floor(width), Math.floor(height));
      renderer.current?.draw(useLit.getState(), surround, moving);
      const ready = !!renderer.current?.ready;
      canvas.current.dataset.frame = ready ? `${renderer.current!.lastFrame.toFixed(0)} ms` : "";
      // Whether the picture is the one that stays, as far as what it is made of is there (data-waiting).
      canvas.current.dataset.still = ready && !moving ? "yes" : "";
    };
  });

  // One frame at a time while something moves, then a sharp one when it rests: at once where a hand lets go.
  const pending = useRef<{ frame: number; rest: number }>({ frame: 0, rest: 0 });
  const rest = useRef(() => {
    cancelAnimationFrame(pending.current.frame);
    clearTimeout(pending.current.rest);
    pending.current.rest = 0;
    redraw.current(false);
  });
  useEffect(() => {
    const letGo = () => pending.current.rest && rest.current();
    window.addEventListener("pointerup", letGo);
    return () => window.removeEventListener("pointerup", letGo);
  }, []);
  useEffect(() => {
    cancelAnimationFrame(pending.current.frame);
    clearTimeout(pending.current.rest);
    if (canvas.current) canvas.current.dataset.still = "";
    pending.current.frame = requestAnimationFrame(() => redraw.current(true));
    pending.current.rest = window.setTimeout(rest.current, STILL_MS);
  }, [setup, width, height]);

  useFetched(
    material.keys.base_color,
    setWaiting,
    (signal) => mapPicture(material, "base_color", signal).then((b) => renderer.current?.setPicture("baseMap", b)),
    redraw,
  );
  useFetched(
    material.keys.normal,
    setWaiting,
    (signal) => mapPicture(material, "normal", signal).then((b) => renderer.current?.setPicture("normalMap", b)),
    redraw,
  );
  useFetched(
    `${material.keys.ambient_occlusion}${material.keys.roughness}${material.keys.metallic}`,
    setWaiting,
    (signal) => mapPicture(material, "packed", signal).then((b) => renderer.current?.setPicture("packedMap", b)),
    redraw,
  );
  useFetched(
    material.keys.height,
    setWaiting,
    (signal) => heightField(material, signal).then((f) => renderer.current?.setHeight(f)),
    redraw,
  );
  useFurther(material, "specular", renderer, setWaiting, redraw);
  useFurther(material, "emissive", renderer, setWaiting, redraw);
  useFurther(material, "opacity", renderer, setWaiting, redraw);
  useFurther(material, "translucency", renderer, setWaiting, redraw);
  useFetched(
    setup.surroundings,
    setWaiting,
    (signal) => light(setup.surroundings, signal).then((l) => renderer.current?.setLight(l)),
    redraw,
  );

  const drag = useRef<{ px: number; py: number; turn: number; tilt: number } | null>(null);
  const turned = (event: PointerEvent) => {
    const from = drag.current;
    if (!from || !event.buttons) return;
    const turn = from.turn - (event.clientX - from.px) * 0.4;
    useLit.setState({
      turn: ((turn + 540) % 360) - 180,
      tilt: Math.min(90, Math.max(8, from.tilt + (event.clientY - from.py) * 0.35)),
    });
  };
  useEffect(() => {
    const element = frame.current!;
    const wheel = (event: WheelEvent) => {
      event.preventDefault();
      useLit.setState(({ distance }) => ({
        distance: Math.min(2, Math.max(0.18, distance * Math.exp(event.deltaY * 0.0012))),
      }));
    };
    element.addEventListener("wheel", wheel, { passive: false });
    return () => element.removeEventListener("wheel", wheel);
  }, []);

  return (
    <div ref={frame} className="relative size-full overflow-hidden bg-surround">
      <canvas
        ref={canvas}
        data-testid="lit"
        data-waiting={waiting}
        role="img"
        aria-label={`Lit view: ${setup.shape}, ${setup.surroundings}`}
        className="absolute inset-0 size-full cursor-grab touch-none active:cursor-grabbing"
        onPointerDown={(event) => {
          event.currentTarget.setPointerCapture(event.pointerId);
          drag.current = { px: event.clientX, py: event.clientY, turn: setup.turn, tilt: setup.tilt };
        }}
        onPointerMove={turned}
        onPointerUp={() => (drag.current = null)}
        onDoubleClick={resetCamera}
      />
      <ProgressLine busy={waiting > 0} />
      {refused && (
        <p className="absolute inset-0 grid place-items-center px-8 text-center text-black">
          The lit view needs WebGL 2, which this browser does not offer. All other views work without it.
        </p>
      )}
      <button
        type="button"
        className="absolute bottom-3 left-[152px] inline-flex h-7 items-center gap-1.5 rounded-card border border-line bg-ground/90 px-2.5 hover:bg-lifted"
        onClick={() => {
          // What was drawn is only there until the page rests: drawn anew, and read at once.
          redraw.current(false);
          canvas.current?.toBlob((data) => data && saveFile(data, `${material.name}_lit.png`), "image/png");
        }}
      >
        <Download size={13} /> Picture
      </button>
      <StillButton material={material} width={width} height={height} />
      <Popover.Root>
        <Popover.Trigger className="absolute bottom-3 left-3 inline-flex h-7 items-center gap-1.5 rounded-card border border-line bg-ground/90 px-2.5 hover:bg-lifted">
          <SlidersHorizontal size={13} /> Light and shape
        </Popover.Trigger>
        <Popover.Portal>
          <Popover.Content
            side="top"
            align="start"
            aria-label="Light and shape"
            sideOffset={6}
            className="z-40 max-h-[80vh] w-72 overflow-y-auto rounded-[10px] border border-line bg-ground p-3 shadow-xl shadow-black/40"
          >
            <LitOptions material={material} />
          </Popover.Content>
        </Popover.Portal>
      </Popover.Root>
      <LampPad />
    </div>
  );
}

/** A map that not every surface has: fetched while it is there, dropped when it goes. */
function useFurther(
  material: Material,
  role: Further,
  renderer: React.RefObject<LitRenderer | null>,
  setWaiting: (change: (n: number) => number) => void,
  redraw: React.RefObject<(moving: boolean) => void>,
) {
  const key = material.keys[role] ?? "";
  useFetched(
    key,
    setWaiting,
    (signal) => mapPicture(material, role, signal).then((bitmap) => renderer.current?.setFurther(role, bitmap)),
    redraw,
  );
  useEffect(() => {
    if (key || !renderer.current?.has(role)) return;
    renderer.current.setFurther(role, null);
    redraw.current(false);
  }, [key, role, renderer, redraw]);
}

/** Runs a fetch when its key changes and there is one, calls the older one off, and redraws when it is there. */
function useFetched(
  key: string,
  setWaiting: (change: (n: number) => number) => void,
  fetcher: (signal: AbortSignal) => Promise<unknown>,
  redraw: React.RefObject<(moving: boolean) => void>,
) {
  const latest = useRef(fetcher);
  useEffect(() => {
    latest.current = fetcher;
  });
  useEffect(() => {
    if (!key) return;
    const control = new AbortController();
    const done = busy("lit");
    setWaiting((n) => n + 1);
    latest
      .current(control.signal)
      .then(() => redraw.current(false))
      .catch((error: unknown) => {
        if (!(error instanceof DOMException) && !hasPassed(error) && !calledOff(error))
          tellProblem(error, "The lit view is not complete");
      })
      .finally(() => {
        done();
        setWaiting((n) => n - 1);
      });
    return () => control.abort();
  }, [key, setWaiting, redraw]);
}
