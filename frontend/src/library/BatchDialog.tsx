/** How a batch is done, before it is begun. */
import { useState } from "react";
import { api } from "../api/client";
import type { BatchWanted } from "../api/types";
import { goTo } from "../app/router";
import { useEditor } from "../editor/store";
import { Button } from "../ui/Button";
import { Dialog } from "../ui/Dialog";
import { Pick } from "../ui/Pick";
import { tellProblem } from "../ui/notices";
import { useChosen } from "./chosen";

const OWN = "own";
const SUGGESTED: { value: NonNullable<BatchWanted["suggested"]>; label: string }[] = [
  { value: "sure", label: "What the program is sure of" },
  { value: "all", label: "All of them" },
  { value: "none", label: "None" },
];
const SIDES = [1024, 2048, 4096, 8192, 16384].map((side) => ({ value: String(side), label: `${side} px` }));

export function BatchDialog({ materials, onClose }: { materials: readonly string[]; onClose: () => void }) {
  const profiles = useEditor((state) => state.about?.profiles) ?? [];
  const [suggested, setSuggested] = useState<NonNullable<BatchWanted["suggested"]>>("sure");
  const [profile, setProfile] = useState(OWN);
  const [size, setSize] = useState(OWN);
  const [name, setName] = useState("");
  const count = `${materials.length} ${materials.length === 1 ? "material" : "materials"}`;
  const begin = async () => {
    try {
      const batch = await api.beginBatch({
        materials: [...materials],
        suggested,
        profile: profile === OWN ? "" : profile,
        size: size === OWN ? 0 : Number(size),
        name: name.trim(),
      });
      useChosen.setState({ ids: null });
      goTo(`/batch/${batch.id}`);
    } catch (error) {
      tellProblem(error, "The batch did not begin");
    }
  };
  return (
    <Dialog
      title={`Batch of ${count}`}
      about="Each is looked at, settled by what is suggested, checked and packed; what fails is named, and the rest goes on."
      open
      onClose={onClose}
    >
      <div className="grid grid-cols-[auto_1fr] items-center gap-x-4 gap-y-3">
        <span>Take suggestions</span>
        <Pick label="Take suggestions" value={suggested} groups={[{ options: SUGGESTED }]} onChange={setSuggested} />
        <span>Profile</span>
        <Pick
          label="Profile"
          value={profile}
          groups={[
            {
              options: [
                { value: OWN, label: "Each its own" },
                ...profiles.map(({ id, label }) => ({ value: id, label })),
              ],
            },
          ]}
          onChange={setProfile}
        />
        <span>Size</span>
        <Pick
          label="Size"
          value={size}
          groups={[{ options: [{ value: OWN, label: "Each its own" }, ...SIDES] }]}
          onChange={setSize}
        />
        <label htmlFor="batch-name">Name</label>
        <input
          id="batch-name"
          value={name}
          maxLength={120}
          placeholder={count}
          onChange={(event) => setName(event.target.value)}
          className="h-7 rounded-card border border-line bg-raised px-2.5 outline-none placeholder:text-soft focus:border-amber"
        />
      </div>
      <p className="mt-3 text-[12px] text-soft">
        What is taken becomes one step in each material, which undo takes back. Cut-outs, light sets and maps that were
        set up already stay as they are.
      </p>
      <div className="mt-4 flex justify-end gap-2">
        <Button onClick={onClose}>Leave it</Button>
        <Button look="main" onClick={() => void begin()}>
          Begin
        </Button>
      </div>
    </Dialog>
  );
}
