// @vitest-environment happy-dom
/** A profile of one's own as a table: every row keeps to what can be written. */
import { describe, expect, it } from "vitest";
import { screen } from "@testing-library/react";
import { settled } from "../../editor/store";
import type { FileRule, Profile } from "../../api/types";
import { about, drawn, opened } from "../../testing/page";
import { beginOwn, freshSuffix, loadProfile } from "./profile";
import { contentName, ProfileTable } from "./ProfileTable";

const row = (suffix: string, channels: string[], more: Partial<FileRule> = {}): FileRule =>
  ({ suffix, channels, required: true, format: "", depth: "", ...more }) as FileRule;
const OWN = {
  ...about.profiles[0]!,
  id: "own",
  label: "Studio",
  files: [row("color", ["base_color"]), row("orm", ["ambient_occlusion", "roughness", "metallic"])],
} as Profile;

function table(own = OWN) {
  const edits = opened({ "pack.files.own": own, "pack.files.profile": "own" });
  const put = () => edits.at(-1)!.changes["pack.files.own"] as Profile;
  return { edits, put, ...drawn(<ProfileTable about={about} open onClose={() => {}} />) };
}
const pick = async (user: ReturnType<typeof drawn>["user"], label: string, option: string) => {
  await user.click(screen.getByRole("combobox", { name: label }));
  await user.click(await screen.findByRole("option", { name: option }));
  await settled();
};

describe("a profile as a table", () => {
  it("adds a file under an end of the name no other has", async () => {
    const { put, user } = table({ ...OWN, files: [...OWN.files, row("file_1", ["height"])] });
    await user.click(screen.getByRole("button", { name: "Add a file" }));
    await settled();
    expect(put().files.map(({ suffix }) => suffix)).toEqual(["color", "orm", "file_1", "file_2"]);
    expect(freshSuffix(OWN)).toBe("file_1");
  });

  it("keeps what the channels hold when one more is laid out, and gives the new one its usual map", async () => {
    const { put, user } = table();
    await pick(user, "orm: layout", "R G B A");
    expect(put().files[1]!.channels).toEqual(["ambient_occlusion", "roughness", "metallic", "1-roughness"]);
    await pick(user, "orm: layout", "Map + A");
    expect(put().files[1]!.channels).toEqual(["ambient_occlusion", "opacity"]);
  });

  it("lays a colour out as three maps without writing a colour into one channel", async () => {
    const { put, user } = table();
    await pick(user, "color: layout", "R G B");
    expect(put().files[0]!.channels).toEqual(["ambient_occlusion", "roughness", "metallic"]);
  });

  it("forgets the depth with the format, for not every format has it", async () => {
    const { put, user } = table({ ...OWN, files: [row("height", ["height"], { format: "exr", depth: "half" })] });
    await pick(user, "height: format", about.formats.find(({ id }) => id === "png")!.label);
    expect(put().files[0]).toMatchObject({ format: "png", depth: "" });
  });

  it("offers of a format only the depths it has", async () => {
    const { user } = table({ ...OWN, files: [row("height", ["height"], { format: "exr" })] });
    await user.click(screen.getByRole("combobox", { name: "height: depth" }));
    const offered = (await screen.findAllByRole("option")).map((one) => one.textContent);
    expect(offered).toHaveLength(1 + about.formats.find(({ id }) => id === "exr")!.depths.length);
    expect(offered).not.toContain("8 bit");
  });

  it("refuses an end of the name that would not do for a file", async () => {
    const { edits, user } = table();
    const typed = screen.getByRole("textbox", { name: "color: end of the name" });
    await user.clear(typed);
    await user.type(typed, "a/b");
    await user.tab();
    await settled();
    expect(edits).toEqual([]);
  });

  it("keeps its last file", () => {
    table({ ...OWN, files: [OWN.files[0]!] });
    expect((screen.getByRole("button", { name: "Take color away" }) as HTMLButtonElement).disabled).toBe(true);
  });

  it("begins with the profile in force", async () => {
    const edits = opened({ "pack.files.profile": about.profiles[1]!.id });
    beginOwn(about);
    await settled();
    const { "pack.files.own": own, "pack.files.profile": profile } = edits[0]!.changes;
    expect(profile).toBe("own");
    expect(own).toMatchObject({ id: "own", files: about.profiles[1]!.files });
  });

  it("opens what was exported, and tells of a file that is none", async () => {
    const edits = opened();
    await loadProfile(new File(["{"], "broken.json"));
    await settled();
    expect(edits).toEqual([]);
    await loadProfile(
      new File(
        [JSON.stringify({ label: "Old", y: "plus", files: [{ suffix: "h", channels: ["height"] }] })],
        "old.json",
      ),
    );
    await settled();
    expect(edits[0]!.changes["pack.files.own"]).toMatchObject({
      id: "own",
      gloss: false,
      needs: [],
      files: [{ suffix: "h", required: true, format: "", depth: "" }],
    });
  });

  it("says what a channel holds, and what is turned round in it", () => {
    expect(contentName("1-roughness")).toBe("Gloss");
    expect(contentName("1-metallic")).toBe("1 − Metallic");
  });
});
