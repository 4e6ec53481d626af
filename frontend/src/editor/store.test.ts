/** Editing as the page sees it: shown at once, sent one at a time, nothing lost when something goes wrong. */
import { beforeEach, describe, expect, it, vi } from "vitest";
import type { About, Material } from "../api/types";

vi.stubGlobal("addEventListener", () => {});
vi.stubGlobal("localStorage", { getItem: () => null, setItem: () => {} });
vi.stubGlobal("createImageBitmap", async () => ({ width: 768, height: 768 }));
const { api, Problem } = await import("../api/client");
const { change, catchUp, openMaterial, plannedAnew, saveAgain, settled, step, useEditor, valueOf } =
  await import("./store");
const { keptPicture, noteTime, pictureName } = await import("../views/kept");
const { useViews } = await import("../views/state");

const OVERLAP = "tile.join.overlap_x";
const FEATHER = "tile.join.feather";

/** A stand-in for the service: one material with its revision, and a list of what was asked. */
function service() {
  const asked: { revision: number; changes: Record<string, unknown>; gesture: string }[] = [];
  const sides: number[] = [];
  let operations: Record<string, Record<string, unknown>> = {};
  let revision = 1;
  const gates: (() => void)[] = [];
  const material = () =>
    ({
      id: "m",
      revision,
      undo: "x",
      redo: null,
      recipe: { version: 1, operations },
      keys: { base_color: `key${revision}`, evened: `key${revision}` },
    }) as unknown as Material;
  vi.spyOn(api, "about").mockResolvedValue({
    operations: [{ id: "tile.join", settings: [{ name: "overlap_x", default: 20 }] }],
  } as unknown as About);
  vi.spyOn(api, "material").mockImplementation(async () => material());
  vi.spyOn(api, "edit").mockImplementation(async (_id, { revision: known, changes, gesture = "", side = 0 }) => {
    asked.push({ revision: known, changes, gesture });
    sides.push(side);
    await new Promise<void>((done) => gates.push(done));
    if (known !== revision) throw new Problem(409, "Changed elsewhere.", "");
    for (const [path, value] of Object.entries(changes)) {
      const cut = path.lastIndexOf(".");
      operations = {
        ...operations,
        [path.slice(0, cut)]: { ...operations[path.slice(0, cut)], [path.slice(cut + 1)]: value },
      };
    }
    revision += 1;
    return { material: material(), picture: new Blob(["jpeg"]) };
  });
  return {
    asked,
    /** What size of picture each edit asked for. */
    sides,
    /** Answers the edit that is on its way. */
    answer: async () => {
      await vi.waitFor(() => expect(gates.length).toBeGreaterThan(0));
      gates.shift()!();
    },
    elsewhere: (value: number) => {
      operations = { "tile.join": { overlap_x: value } };
      revision += 1;
    },
    revision: () => revision,
  };
}

const overlap = () => valueOf(useEditor.getState(), OVERLAP);

describe("editing", () => {
  let wire: ReturnType<typeof service>;
  beforeEach(async () => {
    vi.restoreAllMocks();
    wire = service();
    useEditor.setState({ about: null, material: null, pending: {}, saving: false, missing: null, unsaved: null });
    await openMaterial("m");
  });

  it("shows the default until something else is set, and what was set before it is answered", async () => {
    expect(overlap()).toBe(20);
    change({ [OVERLAP]: 30 }, "Overlap");
    expect(overlap()).toBe(30);
    expect(useEditor.getState().saving).toBe(true);
    await wire.answer();
    await settled();
    expect(overlap()).toBe(30);
    expect(useEditor.getState().pending).toEqual({});
    expect(useEditor.getState().saving).toBe(false);
  });

  it("folds the steps of a drag that have not gone out, and never has two on the way", async () => {
    for (const value of [21, 22, 23, 24]) change({ [OVERLAP]: value }, "Overlap", "drag");
    expect(wire.asked).toHaveLength(1);
    await wire.answer();
    await wire.answer();
    await settled();
    expect(wire.asked.map((one) => one.changes[OVERLAP])).toEqual([21, 24]);
    expect(wire.asked.map((one) => one.revision)).toEqual([1, 2]);
    expect(overlap()).toBe(24);
  });

  it("keeps different changes apart and in order", async () => {
    change({ [OVERLAP]: 25 }, "Overlap", "one");
    change({ [FEATHER]: 3 }, "Feather", "two");
    change({ [OVERLAP]: 26 }, "Overlap", "three");
    await wire.answer();
    // What waits stays on top of the answer.
    await vi.waitFor(() => expect(useEditor.getState().material?.revision).toBe(2));
    expect(overlap()).toBe(26);
    await wire.answer();
    await wire.answer();
    await settled();
    expect(wire.asked.map((one) => one.gesture)).toEqual(["one", "two", "three"]);
  });

  it("takes the newest state when another window was faster, and drops what was built on the old one", async () => {
    change({ [OVERLAP]: 40 }, "Overlap", "one");
    change({ [FEATHER]: 5 }, "Feather", "two");
    wire.elsewhere(33);
    await wire.answer();
    await settled();
    expect(wire.asked).toHaveLength(1);
    expect(overlap()).toBe(33);
    expect(useEditor.getState().material?.revision).toBe(wire.revision());
  });

  it("keeps changes the disk has no room for, in their order, and saves them when there is room again", async () => {
    vi.useFakeTimers();
    const working = vi.mocked(api.edit).getMockImplementation()!;
    vi.mocked(api.edit).mockRejectedValue(new Problem(507, "The disk is full.", "Make room."));
    change({ [OVERLAP]: 31 }, "Overlap", "one");
    change({ [FEATHER]: 4 }, "Feather", "two");
    expect(await settled()).toBeNull();
    expect([overlap(), useEditor.getState().unsaved?.message]).toEqual([31, "The disk is full."]);
    vi.mocked(api.edit).mockImplementation(working);
    await vi.advanceTimersByTimeAsync(5000);
    vi.useRealTimers();
    await wire.answer();
    await wire.answer();
    await settled();
    expect(wire.asked.map((one) => one.changes)).toEqual([{ [OVERLAP]: 31 }, { [FEATHER]: 4 }]);
    expect(useEditor.getState().unsaved).toBeNull();
  });

  it("keeps them for a material that is left, and takes them up when it is opened again", async () => {
    const working = vi.mocked(api.edit).getMockImplementation()!;
    vi.mocked(api.edit).mockRejectedValue(new Problem(507, "The disk is full.", "Make room."));
    change({ [OVERLAP]: 32 }, "Overlap");
    expect(await settled()).toBeNull();
    vi.mocked(api.material).mockResolvedValueOnce({
      id: "other",
      revision: 1,
      recipe: { version: 1, operations: {} },
      keys: {},
    } as unknown as Material);
    await openMaterial("other");
    expect([overlap(), useEditor.getState().unsaved]).toEqual([20, null]);
    vi.mocked(api.edit).mockImplementation(working);
    await openMaterial("m");
    expect(overlap()).toBe(32);
    await wire.answer();
    await settled();
    expect(wire.asked.map((one) => one.changes)).toEqual([{ [OVERLAP]: 32 }]);
  });

  it("does not call a change lost whose answer was lost", async () => {
    const working = vi.mocked(api.edit).getMockImplementation()!;
    vi.mocked(api.edit).mockImplementationOnce(async () => {
      wire.elsewhere(34);
      throw new Problem(0, "The program cannot be reached.", "");
    });
    change({ [OVERLAP]: 34 }, "Overlap");
    expect(await settled()).toBeNull();
    vi.mocked(api.edit).mockImplementation(working);
    saveAgain();
    await wire.answer();
    await settled();
    expect([overlap(), useEditor.getState().material?.revision, useEditor.getState().unsaved]).toEqual([
      34,
      wire.revision(),
      null,
    ]);
  });

  it("has the picture that came with the answer before the state it belongs to", async () => {
    useViews.setState({ stage: "tile" });
    const seen: boolean[] = [];
    const stop = useEditor.subscribe((state, before) => {
      if (state.material !== before.material && state.material)
        seen.push(keptPicture(pictureName("base_color", `key${state.material.revision}`, 768)) !== undefined);
    });
    change({ [OVERLAP]: 27 }, "Overlap");
    await wire.answer();
    await settled();
    stop();
    expect(seen).toEqual([true]);
  });

  it("asks for half of a slow picture with the change, and for all of it where it is quick", async () => {
    useViews.setState({ stage: "tile" });
    let now = 0;
    const clock = vi.spyOn(performance, "now").mockImplementation(() => now);
    const edited = async (value: number, takes: number) => {
      change({ [OVERLAP]: value }, "Overlap");
      await vi.waitFor(() => expect(wire.asked).toHaveLength(value));
      now += takes;
      await wire.answer();
      await settled();
      return pictureName("base_color", `key${useEditor.getState().material!.revision}`, wire.sides.at(-1)!);
    };
    await edited(1, 46);
    const half = await edited(2, 20);
    expect(keptPicture(half)?.name).toMatch(/384$/);
    // Half pictures say nothing of how long a whole one takes; whole ones that follow do, with the change itself.
    await edited(3, 20);
    noteTime("base_color", 25, true);
    await edited(4, 44);
    noteTime("base_color", 26, true);
    await edited(5, 10);
    expect(wire.sides).toEqual([768, 384, 384, 768, 384]);
    noteTime("base_color", 10, false);
    clock.mockRestore();
  });

  it("catches up with what was announced, once, and not while a change of its own is on the way", async () => {
    wire.elsewhere(35);
    await catchUp(wire.revision());
    expect(overlap()).toBe(35);
    const asked = vi.mocked(api.material).mock.calls.length;
    await catchUp(wire.revision());
    expect(vi.mocked(api.material).mock.calls.length).toBe(asked);
    change({ [OVERLAP]: 36 }, "Overlap");
    await catchUp(99);
    expect(vi.mocked(api.material).mock.calls.length).toBe(asked);
    await wire.answer();
    await settled();
  });

  it("undoes only after what is on the way, and by the revision that left", async () => {
    const undo = vi
      .spyOn(api, "step")
      .mockImplementation(async () => ({ ...useEditor.getState().material!, revision: 9 }));
    change({ [OVERLAP]: 28 }, "Overlap");
    const done = step("undo");
    expect(undo).not.toHaveBeenCalled();
    await wire.answer();
    await done;
    expect(undo).toHaveBeenCalledWith("m", "undo", 2);
    expect(useEditor.getState().material?.revision).toBe(9);
  });

  it("tells when a change outside Tile moved the joins, and not when Tile itself did", () => {
    const of = (plan: string) => ({ plan }) as never;
    expect(plannedAnew(of("a"), of("b"), { "gather.maps.height": "x" })).toBe(true);
    expect(plannedAnew(of("a"), of("a"), { "gather.maps.height": "x" })).toBe(false);
    expect(plannedAnew(of("a"), of("b"), { "tile.join.overlap_x": 20 })).toBe(false);
    expect(plannedAnew(of("a"), of("b"), { "even.light.amount": 20 })).toBe(false);
    expect(plannedAnew(of(""), of("b"), { "relief.normal.strength": 2 })).toBe(false);
  });
});
