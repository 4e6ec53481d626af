// @vitest-environment happy-dom
/** Zones in the panel: what belongs to one, what it changes, and that nothing of it stays behind. */
import { beforeEach, describe, expect, it, vi } from "vitest";
import { act, screen, within } from "@testing-library/react";
import { api } from "../../api/client";
import { settled } from "../../editor/store";
import { drawn, type Edit, material, opened } from "../../testing/page";
import { toolInHand, layDownTool } from "../tools";
import { freshId, pickColour, putKind, useZones } from "./zones";
import { Zones } from "./Zones";

vi.mock("../../editor/figures", () => ({
  useFigures: () => ({ zones: { z1: 0.254 }, rough: { z1: 0.614 } }),
}));

const ZONES = "response.zones.zones";
const MOSS = { id: "z1", name: "Moss", parts: [{ kind: "colour", picks: ["#3a5f2a", "#44702f"] }] };
const RUST = { id: "z2", name: "Rust", parts: [{ kind: "recesses" }] };
const EFFECTS = ["roughness", "metallic"] as const;

function panel(settings: Record<string, unknown> = {}) {
  const edits = opened(settings);
  useZones.setState({ open: null, shown: null, picking: null, offered: null });
  layDownTool();
  return { edits, ...drawn(<Zones material={material()} effects={EFFECTS} />) };
}
const last = (edits: Edit[]) => edits.at(-1)!.changes;

describe("zones", () => {
  beforeEach(() => vi.restoreAllMocks());

  it("are added by colour under a name and a number no other has, and wait for a colour", async () => {
    const { edits, user } = panel({ [ZONES]: [MOSS] });
    await user.click(screen.getByRole("button", { name: "By colour" }));
    await settled();
    expect(last(edits)[ZONES]).toEqual([MOSS, { id: "z2", name: "Zone 2", parts: [{ kind: "colour" }] }]);
    expect(useZones.getState().picking).toEqual({ zone: "z2", part: 0, list: "picks" });
    expect(toolInHand()).toBe("colour of a zone");
    expect(freshId(["z1", "z3"])).toBe("z2");
  });

  it("say their share of the surface", () => {
    panel({ [ZONES]: [MOSS, RUST] });
    const [moss, rust] = within(screen.getByRole("list", { name: "Zones there are" })).getAllByRole("listitem");
    expect(moss!.textContent).toContain("25 %");
    expect(rust!.textContent).not.toContain("%");
  });

  it("go away with everything they change, in one step", async () => {
    const other = { value: 0.2 };
    const { edits, user } = panel({
      [ZONES]: [MOSS, RUST],
      "response.on_roughness.in_zones": { z1: { centre: 0.9 }, z2: other },
      "response.on_metallic.in_zones": { z2: other },
    });
    await user.click(screen.getByRole("button", { name: "Take Moss away" }));
    await settled();
    expect(edits).toHaveLength(1);
    const changes = last(edits);
    expect(changes[ZONES]).toEqual([RUST]);
    for (const [path, value] of Object.entries(changes)) {
      if (path === ZONES) continue;
      expect(Object.keys(value as object)).toEqual(["z2"]);
    }
    expect(Object.keys(changes)).toHaveLength(2);
  });

  it("are renamed once, when the name is left", async () => {
    const { edits, user } = panel({ [ZONES]: [MOSS] });
    await user.click(screen.getByRole("button", { name: /Moss/, expanded: false }));
    const name = screen.getByRole("textbox", { name: "Name of the zone" });
    await user.clear(name);
    await user.type(name, "Lichen{Enter}");
    await settled();
    expect(edits.map(({ label }) => label)).toEqual(["Zone renamed"]);
    expect(last(edits)[ZONES]).toEqual([{ ...MOSS, name: "Lichen" }]);
  });

  it("lose a colour by a click on it, and keep the others", async () => {
    const { edits, user } = panel({ [ZONES]: [MOSS] });
    await user.click(screen.getByRole("button", { name: /Moss/, expanded: false }));
    await user.click(screen.getByRole("button", { name: "Take #3a5f2a away" }));
    await settled();
    expect(last(edits)[ZONES]).toEqual([{ ...MOSS, parts: [{ kind: "colour", picks: ["#44702f"] }] }]);
  });

  it("take the colour of the picture for the part that waits, and keep 24 at most", async () => {
    const many = Array.from({ length: 24 }, (_, n) => `#0000${n.toString(16).padStart(2, "0")}`);
    const { edits } = panel({ [ZONES]: [{ ...MOSS, parts: [{ kind: "colour", picks: many }] }] });
    useZones.setState({ picking: { zone: "z1", part: 0, list: "picks" } });
    vi.spyOn(api, "probe").mockResolvedValue({ own_color: [255, 9, 160] } as never);
    await pickColour("m", [0.5, 0.5]);
    await settled();
    const picks = (last(edits)[ZONES] as (typeof MOSS)[])[0]!.parts[0]!.picks;
    expect(picks).toEqual([...many.slice(1), "#ff09a0"]);
  });

  it("let a map be changed, start it from what is declared, and take it back whole", async () => {
    const { edits, user } = panel({ [ZONES]: [MOSS] });
    await user.click(screen.getByRole("button", { name: /Moss/, expanded: false }));
    await user.click(screen.getByRole("button", { name: "Metallic" }));
    await settled();
    expect(Object.keys(last(edits))).toEqual(["response.on_metallic.in_zones"]);
    expect(last(edits)["response.on_metallic.in_zones"]).toHaveProperty("z1");
    await user.click(screen.getByRole("button", { name: "Leave the metallic as it was" }));
    await settled();
    expect(last(edits)["response.on_metallic.in_zones"]).toEqual({});
  });

  it("that were looked for in vain say why and change nothing", async () => {
    const { edits, user } = panel();
    vi.spyOn(api, "zones").mockResolvedValue({ zones: [], why: "One material." } as never);
    await user.click(screen.getByRole("button", { name: "Suggest" }));
    await settled();
    expect(edits).toEqual([]);
    // What it says stays until it is put away.
    expect(screen.getByText("One material.")).toBeTruthy();
    await user.click(screen.getByRole("button", { name: "Put the materials found away" }));
    expect(screen.queryByText("One material.")).toBeNull();
  });

  it("that were found are marked before they are taken, all or one, and are sixteen at most", async () => {
    const many = Array.from({ length: 13 }, (_, n) => ({ ...RUST, id: `z${n + 1}`, name: `Zone ${n + 1}` }));
    const { edits, user } = panel({ [ZONES]: many });
    const found = Array.from({ length: 5 }, (_, n) => ({
      name: `Found ${n}`,
      share: 0.2,
      part: { kind: "colour", picks: ["#112233"] },
      outline: [],
    }));
    vi.spyOn(api, "zones").mockResolvedValue({ zones: found, why: "5 materials." } as never);
    await user.click(screen.getByRole("button", { name: "Suggest" }));
    await settled();
    expect(edits).toEqual([]);
    // What was found belongs to its material.
    const offered = useZones.getState().offered!;
    expect(offered.material).toBe(material().id);
    act(() => useZones.setState({ offered: { ...offered, material: "another" } }));
    expect(screen.queryByRole("group", { name: "Materials found" })).toBeNull();
    act(() => useZones.setState({ offered }));
    expect(useZones.getState().offered?.marked).toEqual([0, 1, 2, 3, 4]);
    const list = screen.getByRole("group", { name: "Materials found" });
    await user.hover(within(list).getByText("Found 2"));
    expect(useZones.getState().offered?.marked).toEqual([2]);
    await user.click(within(list).getAllByRole("button", { name: "Take" })[2]!);
    await settled();
    expect((last(edits)[ZONES] as { name: string }[]).at(-1)).toMatchObject({ id: "z14", name: "Found 2" });
    await user.click(screen.getByRole("button", { name: "Take all" }));
    await settled();
    const zones = last(edits)[ZONES] as { id: string; name: string }[];
    expect(zones.map(({ id }) => id)).toEqual(Array.from({ length: 16 }, (_, n) => `z${n + 1}`));
    expect(zones.slice(13).map(({ name }) => name)).toEqual(["Found 2", "Found 0", "Found 1"]);
  });

  it("are told what they are made of in one step, and roughness starts from what is there", async () => {
    const { edits, user } = panel({ [ZONES]: [MOSS], "response.covers.wet_zones": { z1: 0.5, z2: 0.3 } });
    putKind({ ...MOSS, parts: [] }, {
      id: "moss",
      label: "Moss",
      group: "Wood and plants",
      changes: { roughness: { level: 0.94, spread: 0.4 }, metallic: null, specular: { colour: "#303030" } },
      whole: {},
    } as never);
    await settled();
    expect(edits).toHaveLength(1);
    expect(last(edits)["response.on_roughness.in_zones"]).toEqual({ z1: { level: 0.94, spread: 0.4 } });
    expect(last(edits)["response.on_specular.in_zones"]).toEqual({ z1: { colour: "#303030" } });
    expect(last(edits)).not.toHaveProperty(["response.on_metallic.in_zones"]);
    expect((last(edits)[ZONES] as { kind: string }[])[0]!.kind).toBe("moss");
    await user.click(screen.getByRole("button", { name: "Take Moss away" }));
    await settled();
    expect(last(edits)["response.covers.wet_zones"]).toEqual({ z2: 0.3 });
  });

  it("do not start glossier than they are", async () => {
    const { edits, user } = panel({ [ZONES]: [MOSS] });
    await user.click(screen.getByRole("button", { name: /Moss/, expanded: false }));
    await user.click(screen.getByRole("button", { name: "Roughness" }));
    await settled();
    expect(last(edits)["response.on_roughness.in_zones"]).toMatchObject({ z1: { level: 0.61 } });
  });

  it("start from the centre of all of it while their own roughness is not measured yet", async () => {
    const { edits, user } = panel({ [ZONES]: [RUST], "response.roughness.centre": 0.83 });
    await user.click(screen.getByRole("button", { name: /Rust/, expanded: false }));
    await user.click(screen.getByRole("button", { name: "Roughness" }));
    await settled();
    expect(last(edits)["response.on_roughness.in_zones"]).toMatchObject({ z2: { level: 0.83 } });
  });
});
