/** Profiles of one's own that are kept for all materials: take one, forget one. */
import { useQuery, useQueryClient } from "@tanstack/react-query";
import { BookMarked, X } from "lucide-react";
import { Popover } from "radix-ui";
import { useState } from "react";
import { api } from "../../api/client";
import type { Profile } from "../../api/types";
import { Button } from "../../ui/Button";
import { tell, tellProblem } from "../../ui/notices";
import { putOwn } from "./profile";

const KEY = ["profiles"];

export function KeptProfiles() {
  const [open, setOpen] = useState(false);
  const queries = useQueryClient();
  const kept = useQuery({ queryKey: KEY, queryFn: api.profiles });
  const forget = (id: number) =>
    void api
      .dropProfile(id)
      .then(() => queries.invalidateQueries({ queryKey: KEY }))
      .catch(tellProblem);
  if (!kept.data?.length) return null;
  return (
    <Popover.Root open={open} onOpenChange={setOpen}>
      <Popover.Trigger className="inline-flex h-6.5 items-center gap-1 rounded-card border border-line bg-raised px-2 text-[12px] hover:bg-lifted">
        <BookMarked size={13} /> Kept
      </Popover.Trigger>
      <Popover.Portal>
        <Popover.Content
          sideOffset={6}
          align="end"
          aria-label="Kept profiles"
          className="z-40 w-64 rounded-[10px] border border-line bg-ground p-2 shadow-xl shadow-black/40"
        >
          <ul>
            {kept.data.map(({ id, name, profile }) => (
              <li key={id} className="flex items-center gap-1">
                <button
                  type="button"
                  className="flex-1 truncate rounded-card px-2 py-1 text-left hover:bg-lifted"
                  onClick={() => {
                    putOwn(profile, `Profile ${name}`);
                    setOpen(false);
                  }}
                >
                  <span translate="no">{name}</span>
                  <span className="block text-[12px] text-soft">
                    {profile.files.length} files, Y{profile.y === "plus" ? "+" : "−"}
                  </span>
                </button>
                <button
                  type="button"
                  aria-label={`Forget ${name}`}
                  title="Materials that took it keep theirs"
                  className="rounded-card p-1 text-soft hover:text-text"
                  onClick={() => forget(id)}
                >
                  <X size={13} />
                </button>
              </li>
            ))}
          </ul>
        </Popover.Content>
      </Popover.Portal>
    </Popover.Root>
  );
}

/** Keeps the profile in the table for all materials. */
export function KeepProfile({ own }: { own: Profile }) {
  const queries = useQueryClient();
  return (
    <Button
      onClick={() =>
        void api
          .keepProfile(own)
          .then(async ({ name }) => {
            await queries.invalidateQueries({ queryKey: KEY });
            tell(`${name} is kept for all materials.`);
          })
          .catch((error: unknown) => tellProblem(error, "The profile was not kept"))
      }
    >
      <BookMarked size={13} /> Keep for all materials
    </Button>
  );
}
