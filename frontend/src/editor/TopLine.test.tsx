// @vitest-environment happy-dom
/** The top line tells what is kept aside, what is not saved, and what is to settle. */
import { beforeEach, describe, expect, it, vi } from "vitest";
import { act, fireEvent, screen } from "@testing-library/react";
import { api, Problem } from "../api/client";
import { drawn, material, opened } from "../testing/page";

const found = vi.hoisted(() => ({ findings: null as { level: string }[] | null, fresh: true }));
vi.mock("./figures", () => ({ useFindings: () => found }));
const { TopLine, Unsaved } = await import("./TopLine");
const { change, useEditor } = await import("./store");

const line = (more = {}) => {
  opened();
  return drawn(<TopLine material={material({ snapshots: [], ...more })} />);
};

describe("the top line", () => {
  beforeEach(() => vi.restoreAllMocks());

  it("says nothing is clear before it has looked", () => {
    found.findings = null;
    line();
    expect(screen.getByTitle("Open Check").textContent).toContain("Looking");
    found.findings = [{ level: "pass" }];
    line();
    expect(screen.getByTitle("Open Check").textContent).toContain("All clear");
    found.findings = [{ level: "blocked" }, { level: "attention" }, { level: "know" }];
    line();
    expect(screen.getByTitle("Open Check").textContent).toContain("2 to settle");
  });

  it("names every setting that is kept aside", () => {
    line({
      recipe: {
        version: 2,
        operations: {},
        aside: { operations: { "tile.warp_field": { amount: 3, seed: 1 }, "even.later": { on: true } } },
      },
    });
    const chip = screen.getByText(/kept aside/);
    expect(chip.textContent).toContain("3 settings kept aside");
    for (const path of ["tile.warp_field.amount", "tile.warp_field.seed", "even.later.on"])
      expect(chip.title).toContain(path);
  });

  it("is silent where nothing is", () => {
    line();
    expect(screen.queryByText(/kept aside/)).toBeNull();
  });

  it("renames on Enter, not on Escape, and never to nothing", async () => {
    const rename = vi.spyOn(api, "rename").mockResolvedValue(material());
    const { user } = line();
    for (const typed of ["{Escape}", "   {Enter}", "Roof{Enter}"]) {
      await user.click(screen.getByRole("button", { name: "Slate" }));
      await user.clear(screen.getByRole("textbox", { name: "Name of the material" }));
      await user.type(screen.getByRole("textbox", { name: "Name of the material" }), typed);
    }
    expect(rename.mock.calls).toEqual([["m", "Roof"]]);
  });

  it("offers undo only where there is something, and says what", () => {
    line({ undo: "Overlap" });
    expect((screen.getByRole("button", { name: "Undo" }) as HTMLButtonElement).disabled).toBe(false);
    expect(screen.getByRole("button", { name: "Undo" }).title).toBe("Undo: Overlap");
    expect((screen.getByRole("button", { name: "Redo" }) as HTMLButtonElement).disabled).toBe(true);
  });

  it("tells of saving only when it takes long", async () => {
    line({});
    vi.useFakeTimers();
    try {
      act(() => useEditor.setState({ saving: true }));
      act(() => void vi.advanceTimersByTime(390));
      expect(screen.queryByText("Saving")).toBeNull();
      act(() => void vi.advanceTimersByTime(20));
      expect(screen.getByText("Saving")).toBeTruthy();
      act(() => useEditor.setState({ saving: false }));
      expect(screen.queryByText("Saving")).toBeNull();
    } finally {
      vi.useRealTimers();
    }
  });

  it("tells why changes are not saved, and tries again when asked to", async () => {
    opened();
    drawn(<Unsaved />);
    expect(screen.queryByRole("alert")).toBeNull();
    useEditor.setState({ unsaved: new Problem(507, "The disk is full.", "Make room.") });
    drawn(<Unsaved />);
    expect(screen.getByRole("alert").textContent).toContain("The disk is full.");
    expect(screen.getByRole("alert").textContent).toContain("kept on this page");
    const edit = vi.spyOn(api, "edit").mockRejectedValue(new Problem(507, "The disk is full.", "Make room."));
    change({ "tile.join.overlap_x": 21 }, "Overlap");
    await vi.waitFor(() => expect(edit).toHaveBeenCalledTimes(1));
    await vi.waitFor(() => expect(useEditor.getState().saving).toBe(false));
    // The sending ends a moment after its last change does.
    await new Promise((done) => setTimeout(done, 20));
    fireEvent.click(screen.getByRole("button", { name: "Try now" }));
    await vi.waitFor(() => expect(edit).toHaveBeenCalledTimes(2));
    expect(edit.mock.calls.map(([, { changes }]) => changes)).toEqual(Array(2).fill({ "tile.join.overlap_x": 21 }));
  });
});
