/** What can be brought in, each with a sentence: the way into the library for what is no single photograph. */
import {
  Aperture,
  Box,
  Contrast,
  Focus,
  Footprints,
  Images,
  Layers,
  Leaf,
  SunDim,
  SunMoon,
  WholeWord,
} from "lucide-react";
import { useQuery, useQueryClient } from "@tanstack/react-query";
import type { ComponentType } from "react";
import { api } from "../api/client";
import { goTo } from "../app/router";
import { Button } from "../ui/Button";
import { Dialog } from "../ui/Dialog";
import { tellProblem } from "../ui/notices";
import { Pick } from "../ui/Pick";
import { useBegin } from "./arrivals";

export type Kind = "photographs" | "lights" | "cutout" | "maps" | "bracket" | "focus" | "walk" | "scan" | "sides";

const KINDS: {
  kind: Kind | "words" | "audit";
  name: string;
  about: string;
  icon: ComponentType<{ size?: number; className?: string }>;
}[] = [
  { kind: "photographs", name: "Photographs", about: "One surface each. Scans and camera RAW too.", icon: Aperture },
  {
    kind: "lights",
    name: "Light set",
    about: "3 to 32 photographs from one fixed camera, the lamp moved round in a ring, in order.",
    icon: SunDim,
  },
  {
    kind: "cutout",
    name: "Cut-out",
    about: "A leaf or a frond on an even ground; its back and a back-lit photograph if there are.",
    icon: Leaf,
  },
  {
    kind: "maps",
    name: "Existing maps",
    about: "All maps of one surface: they go through every step together.",
    icon: Layers,
  },
  {
    kind: "walk",
    name: "Walk-by",
    about: "2 to 12 handheld photographs, a step aside between them: true height without lamps or tripod.",
    icon: Footprints,
  },
  {
    kind: "sides",
    name: "Two lights",
    about: "One view in two lights, as morning and evening sun, or with and without flash.",
    icon: SunMoon,
  },
  {
    kind: "scan",
    name: "Scan or depth map",
    about: "A scanned mesh, a point cloud, 16-bit or float heights: projected straight onto its plane.",
    icon: Box,
  },
  {
    kind: "bracket",
    name: "Exposure bracket",
    about: "2 to 24 photographs of one view, lighter and darker: one picture in which nothing is burnt out.",
    icon: Contrast,
  },
  {
    kind: "focus",
    name: "Focus stack",
    about: "Photographs of one view, sharp at different depths: one picture that is sharp all over.",
    icon: Focus,
  },
  {
    kind: "words",
    name: "From words",
    about: "Four pictures of a surface you describe, by the simulation that ships.",
    icon: WholeWord,
  },
  {
    kind: "audit",
    name: "Audit a foreign set",
    about: "Find out what maps made elsewhere are, and what is wrong with them.",
    icon: Images,
  },
];

export function Kinds({ open, onClose, onPick }: { open: boolean; onClose: () => void; onPick: (kind: Kind) => void }) {
  return (
    <Dialog
      title="What do you bring in?"
      about="Files can also be dropped anywhere, or pasted; their names tell what they are."
      open={open}
      onClose={onClose}
    >
      <ul className="grid grid-cols-2 gap-2.5">
        {KINDS.map(({ kind, name, about, icon: Icon }) => (
          <li key={kind}>
            <button
              type="button"
              className="flex size-full items-start gap-3 rounded-card border border-line bg-raised px-3 py-2.5 text-left hover:border-amber hover:bg-lifted"
              onClick={() => {
                onClose();
                if (kind === "words") goTo("/words");
                else if (kind === "audit") goTo("/audit");
                else onPick(kind);
              }}
            >
              <Icon size={18} className="mt-0.5 shrink-0 text-amber" />
              <span>
                <span className="block font-medium">{name}</span>
                <span className="block text-[12px] text-soft">{about}</span>
              </span>
            </button>
          </li>
        ))}
      </ul>
      <BeginWith />
    </Dialog>
  );
}

/** Settings that captures begin with, from among the starts that were kept. */
function BeginWith() {
  const starts = useQuery({ queryKey: ["starts"], queryFn: api.starts }).data ?? [];
  const queries = useQueryClient();
  const { start } = useBegin();
  if (!starts.length) return null;
  const chosen = starts.find(({ id }) => id === start);
  const forget = async () => {
    try {
      await api.forgetStart(start);
      useBegin.setState({ start: 0 });
      await queries.invalidateQueries({ queryKey: ["starts"] });
    } catch (error) {
      tellProblem(error);
    }
  };
  return (
    <div className="mt-4 flex items-center gap-2.5 border-t border-line pt-3">
      <span>Begin with</span>
      <Pick
        label="Begin with"
        value={String(chosen?.id ?? 0)}
        groups={[
          {
            options: [
              { value: "0", label: "Settings as they come" },
              ...starts.map(({ id, name }) => ({ value: String(id), label: name })),
            ],
          },
        ]}
        onChange={(id) => useBegin.setState({ start: Number(id) })}
      />
      <span className="min-w-0 flex-1 truncate text-[12px] text-soft" title={chosen?.note}>
        {chosen && (chosen.note || `${chosen.settings} settings`)}
      </span>
      {chosen && (
        <Button
          look="quiet"
          title={`${chosen.name} is offered no more; materials keep what they have`}
          onClick={() => void forget()}
        >
          Forget it
        </Button>
      )}
    </div>
  );
}
