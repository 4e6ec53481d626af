/** Profiles of one's own: kept in the recipe, exported and imported as JSON. */
import { saveFile } from "../../ui/saveFile";
import type { About, Profile, FileRule } from "../../api/types";
import { change, useEditor, valueOf } from "../../editor/store";
import { tell } from "../../ui/notices";

/** Puts a profile of one's own in force. */
export function putOwn(profile: Profile, label: string, gesture = "") {
  change({ "pack.files.own": { ...profile, id: "own" }, "pack.files.profile": "own" }, label, gesture);
}

/** Begins a profile of one's own with what is in force now. */
export function beginOwn(about: About) {
  const state = useEditor.getState();
  const now = about.profiles.find(({ id }) => id === valueOf(state, "pack.files.profile"));
  if (now) putOwn({ ...now, label: `${now.label}, changed` }, "Own profile");
}

export const putFile = (profile: Profile, index: number, changed: Partial<FileRule>, label: string) =>
  putOwn({ ...profile, files: profile.files.map((file, i) => (i === index ? { ...file, ...changed } : file)) }, label);

/** A suffix no other file has. */
export function freshSuffix(profile: Profile): string {
  for (let n = 1; ; n++) if (!profile.files.some((file) => file.suffix === `file_${n}`)) return `file_${n}`;
}

/** Hands the profile over as a file. */
export function saveProfile(profile: Profile) {
  const data = new Blob([JSON.stringify(profile, null, 2)], { type: "application/json" });
  saveFile(data, `${profile.label.replace(/[^A-Za-z0-9]+/g, "_")}.profile.json`);
}

export async function loadProfile(file: File) {
  try {
    const found = JSON.parse(await file.text()) as Profile;
    putOwn(
      {
        ...found,
        gloss: found.gloss ?? false,
        needs: found.needs ?? [],
        files: found.files.map((row) => ({
          ...row,
          required: row.required ?? true,
          format: row.format ?? "",
          depth: row.depth ?? "",
        })),
      },
      `Profile from ${file.name}`,
    );
  } catch {
    tell(`${file.name} is no profile.`, "Give a file that was exported here.");
  }
}
