/** A profile of one's own as a table: file, channels, what each holds, format and depth. */
import { Download, Plus, X } from "lucide-react";
import { contents } from "../../api/about";
import { useEditor, valueOf } from "../../editor/store";
import type { About, Profile, FileRule } from "../../api/types";
import { Button } from "../../ui/Button";
import { Choice } from "../../ui/Choice";
import { Dialog } from "../../ui/Dialog";
import { Pick } from "../../ui/Pick";
import { KeepProfile } from "./KeptProfiles";
import { freshSuffix, loadProfile, putFile, putOwn, saveProfile } from "./profile";

const GLOSS = "1-roughness";

/** What a channel holds, in words; "1-" before it inverts. */
export function contentName(token: string): string {
  if (token === GLOSS) return "Gloss";
  const inside = token.replace(/^1-/, "");
  return `${token === inside ? "" : "1 − "}${contents().find(({ id }) => id === inside)?.label ?? inside}`;
}

/** Of a file whose format is left to the pack. */
const ANY_DEPTH = ["8", "16"];
const DEPTH_NAMES: Record<string, string> = {
  "": "as set",
  "8": "8 bit",
  "16": "16 bit",
  half: "half float",
  float: "float",
};
/** How the channels of a file are laid out, by how many contents it has. */
const LAYOUTS = [
  { value: "1", label: "One map" },
  { value: "2", label: "Map + A" },
  { value: "3", label: "R G B" },
  { value: "4", label: "R G B A" },
];
const NAMES: Record<number, string[]> = { 1: ["Map"], 2: ["Map", "A"], 3: ["R", "G", "B"], 4: ["R", "G", "B", "A"] };

export function ProfileTable({ about, open, onClose }: { about: About; open: boolean; onClose: () => void }) {
  const own = useEditor((state) => valueOf(state, "pack.files.own"));
  const singles = about.contents.filter(({ whole }) => !whole).map(({ id }) => id);
  const scalars = [
    ...singles,
    ...singles.filter((content) => !["white", "black"].includes(content)).map((content) => `1-${content}`),
  ];
  return (
    <Dialog title="Your own profile" open={open} onClose={onClose} wide>
      {own && (
        <div className="flex max-h-[70vh] flex-col gap-3">
          <div className="flex items-center gap-3">
            <input
              key={own.label}
              aria-label="Name of the profile"
              defaultValue={own.label}
              maxLength={60}
              onBlur={(event) =>
                event.target.value !== own.label &&
                putOwn({ ...own, label: event.target.value || "Own" }, "Profile renamed")
              }
              className="h-7 flex-1 rounded-card border border-line bg-raised px-2"
            />
            <span className="text-soft">Green points</span>
            <Choice
              label="Green points"
              value={own.y}
              options={[
                { value: "plus", label: "Up, Y+" },
                { value: "minus", label: "Down, Y−" },
              ]}
              onChange={(y) => putOwn({ ...own, y }, "Y of the profile")}
            />
          </div>
          <div className="overflow-y-auto">
            <table className="w-full text-left">
              <thead className="text-[12px] text-soft">
                <tr>
                  <th className="py-1 font-normal">Ends in</th>
                  <th className="font-normal">Layout</th>
                  <th className="font-normal">Holds</th>
                  <th className="font-normal">Format</th>
                  <th className="font-normal">Depth</th>
                  <th>
                    <span className="sr-only">Take it out</span>
                  </th>
                </tr>
              </thead>
              <tbody>
                {own.files.map((file, index) => (
                  <Row key={index} own={own} file={file} index={index} about={about} scalars={scalars} />
                ))}
              </tbody>
            </table>
          </div>
          <div className="flex items-center gap-2">
            <Button
              onClick={() =>
                putOwn(
                  {
                    ...own,
                    files: [
                      ...own.files,
                      { suffix: freshSuffix(own), channels: ["base_color"], required: true, format: "", depth: "" },
                    ],
                  },
                  "File added",
                )
              }
            >
              <Plus size={13} /> Add a file
            </Button>
            <span className="flex-1" />
            <KeepProfile own={own} />
            <Button onClick={() => saveProfile(own)}>
              <Download size={13} /> Export
            </Button>
          </div>
        </div>
      )}
    </Dialog>
  );
}

function Row({
  own,
  file,
  index,
  about,
  scalars,
}: {
  own: Profile;
  file: FileRule;
  index: number;
  about: About;
  scalars: string[];
}) {
  const { formats } = about;
  const all = about.contents.map(({ id }) => id);
  const depths = formats.find(({ id }) => id === file.format)?.depths ?? ANY_DEPTH;
  const name = `${file.suffix}: `;
  const count = file.channels.length;
  const relaid = (next: number) => {
    const kept =
      next <= 2
        ? [next < 2 || all.includes(file.channels[0]!) ? file.channels[0]! : "base_color", "opacity"]
        : ["ambient_occlusion", "roughness", "metallic", GLOSS].map((usual, i) =>
            count > 2 ? (file.channels[i] ?? usual) : usual,
          );
    putFile(own, index, { channels: kept.slice(0, next) }, "Layout of the file");
  };
  const options = (channel: number) =>
    (channel === 0 && count <= 2 ? [...all, GLOSS] : scalars).map((value) => ({ value, label: contentName(value) }));
  return (
    <tr className="border-t border-line align-top">
      <td className="py-1.5 pr-2">
        <input
          key={file.suffix}
          aria-label={`${name}end of the name`}
          defaultValue={file.suffix}
          maxLength={40}
          onBlur={(event) =>
            /^[A-Za-z0-9_-]{1,40}$/.test(event.target.value) &&
            event.target.value !== file.suffix &&
            putFile(own, index, { suffix: event.target.value }, "Name of the file")
          }
          className="h-7 w-36 rounded-card border border-line bg-raised px-2"
        />
      </td>
      <td className="py-1.5 pr-2">
        <Pick
          label={`${name}layout`}
          value={String(count)}
          groups={[{ options: LAYOUTS }]}
          onChange={(next) => relaid(Number(next))}
        />
      </td>
      <td className="py-1.5 pr-2">
        <span className="flex flex-wrap gap-1.5">
          {file.channels.map((token, channel) => (
            <span key={channel} className="inline-flex items-center gap-1">
              <span className="text-[12px] text-soft">{NAMES[count]![channel]}</span>
              <Pick
                label={`${name}${NAMES[count]![channel]}`}
                value={token}
                groups={[{ options: options(channel) }]}
                onChange={(next) =>
                  putFile(
                    own,
                    index,
                    { channels: file.channels.map((old, i) => (i === channel ? next : old)) },
                    "What a channel holds",
                  )
                }
                className="h-6.5 px-2 text-[12px]"
              />
            </span>
          ))}
        </span>
      </td>
      <td className="py-1.5 pr-2">
        <Pick
          label={`${name}format`}
          value={file.format || "as"}
          groups={[
            { options: [{ value: "as", label: "as set" }, ...formats.map(({ id, label }) => ({ value: id, label }))] },
          ]}
          onChange={(next) =>
            putFile(own, index, { format: next === "as" ? "" : next, depth: "" }, "Format of the file")
          }
        />
      </td>
      <td className="py-1.5 pr-2">
        <Pick
          label={`${name}depth`}
          value={file.depth || "as"}
          groups={[{ options: ["", ...depths].map((value) => ({ value: value || "as", label: DEPTH_NAMES[value]! })) }]}
          onChange={(next) => putFile(own, index, { depth: next === "as" ? "" : next }, "Depth of the file")}
        />
      </td>
      <td className="py-1.5">
        <button
          type="button"
          aria-label={`Take ${file.suffix} away`}
          disabled={own.files.length < 2}
          className="rounded-[5px] p-1.5 text-soft hover:bg-lifted hover:text-text disabled:opacity-40"
          onClick={() => putOwn({ ...own, files: own.files.filter((_, i) => i !== index) }, "File taken away")}
        >
          <X size={13} />
        </button>
      </td>
    </tr>
  );
}

/** Opens a profile that was exported. */
export function OpenProfile() {
  return (
    <label className="inline-flex h-6.5 cursor-pointer items-center rounded-card border border-line bg-raised px-2 text-[12px] focus-within:outline-2 hover:bg-lifted">
      Import
      <input
        type="file"
        aria-label="Import a profile"
        accept="application/json,.json"
        className="sr-only"
        onChange={(event) => {
          const file = event.target.files?.[0];
          if (file) void loadProfile(file);
          event.target.value = "";
        }}
      />
    </label>
  );
}
