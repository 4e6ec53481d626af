// @vitest-environment happy-dom
/** What comes next is done, left, looked at, or taken back where it made things worse. */
import { beforeEach, describe, expect, it, vi } from "vitest";
import { screen } from "@testing-library/react";
import type { NextStep } from "../api/types";
import { drawn, material, opened } from "../testing/page";

// The page writes to a browser's shelf, which is not there.
const shelf = new Map<string, string>();
vi.stubGlobal("localStorage", {
  getItem: (key: string) => shelf.get(key) ?? null,
  setItem: (key: string, text: string) => shelf.set(key, text),
});
const told = vi.hoisted(() => ({
  findings: [] as { level: string }[],
  fresh: true,
  next: { revision: 1, steps: [] as NextStep[], packed: false },
}));
vi.mock("../editor/figures", () => ({ useFindings: () => told, useNext: () => told.next }));
const { NextLine } = await import("./NextLine");
const { api } = await import("../api/client");
const { settled, useEditor } = await import("../editor/store");
const { useWanted } = await import("./check/wanted");

const step = (id: string, more: Partial<NextStep> = {}): NextStep => ({
  id,
  words: `${id} is so`,
  why: "",
  label: `Do ${id}`,
  stage: "check",
  changes: { "even.light.amount": 50 },
  rule: null,
  map: null,
  ...more,
});

function line(steps: NextStep[], packed = false) {
  told.next = { revision: 1, steps, packed };
  const edits = opened();
  return { edits, ...drawn(<NextLine material={material()} />) };
}

describe("the next step", () => {
  beforeEach(() => {
    vi.restoreAllMocks();
    shelf.clear();
    Object.assign(told, { findings: [], fresh: true });
  });

  it("says nothing before Check has looked", () => {
    told.fresh = false;
    line([step("light")]);
    expect(screen.getByRole("status").textContent).toBe("Next: Looking at what it needs …");
    expect(screen.queryByRole("button")).toBeNull();
  });

  it("does the first by one click, and looks at what is still there after it", async () => {
    const { edits, user } = line([step("light", { rule: "base_color.light", map: "base_color" }), step("drift")]);
    expect(screen.getByText("1 more after it")).toBeTruthy();
    await user.click(screen.getByRole("button", { name: "Do light" }));
    await settled();
    expect(edits).toEqual([{ changes: { "even.light.amount": 50 }, label: "Do light", gesture: "" }]);
    await user.click(screen.getByRole("button", { name: "See it in Check" }));
    expect(edits).toHaveLength(1);
    expect(useWanted.getState()).toEqual({ rule: "base_color.light", map: "base_color" });
  });

  it("leaves what is to be left, until it is another figure", async () => {
    const { user } = line([step("light"), step("drift")]);
    await user.click(screen.getByRole("button", { name: "Leave it as it is" }));
    expect(screen.getByRole("status").textContent).toBe("Next: drift is so");
    await user.click(screen.getByRole("button", { name: "Leave it as it is" }));
    expect(screen.getByRole("status").textContent).toBe(
      "Next: Nothing left to settle. 2 things are left as you wanted.",
    );
    line([step("light"), step("drift", { words: "drift is more" })]);
    expect(screen.getByRole("status").textContent).toBe("Next: drift is more");
  });

  it("says what made it worse, and takes it back", async () => {
    const { user, rerender, edits } = line([step("light")]);
    const back = vi.spyOn(api, "step").mockResolvedValue(material({ revision: 3 }));
    await user.click(screen.getByRole("button", { name: "Do light" }));
    await settled();
    expect(edits).toHaveLength(1);
    Object.assign(told, {
      findings: [{ level: "blocked" }, { level: "blocked" }],
      next: { ...told.next, revision: 2 },
    });
    const { QueryClient, QueryClientProvider } = await import("@tanstack/react-query");
    rerender(
      <QueryClientProvider client={new QueryClient()}>
        <NextLine material={material({ revision: 2 })} />
      </QueryClientProvider>,
    );
    expect(screen.getByRole("status").textContent).toBe("Next: “Do light” made it worse: 2 checks block, before 0.");
    useEditor.setState({ material: material({ revision: 2, undo: "Do light" }) });
    await user.click(screen.getByRole("button", { name: "Take it back" }));
    await settled();
    expect(back.mock.calls[0]!.slice(0, 2)).toEqual(["m", "undo"]);
  });

  it("counts what is open where nothing blocks, but does not judge what is evident", async () => {
    const again = async (first: NextStep) => {
      Object.assign(told, { findings: [{ level: "attention" }] });
      const { user, rerender, unmount } = line([first]);
      await user.click(screen.getByRole("button", { name: first.label }));
      await settled();
      Object.assign(told, {
        findings: [{ level: "attention" }, { level: "attention" }, { level: "pass" }],
        next: { ...told.next, revision: 2 },
      });
      const { QueryClient, QueryClientProvider } = await import("@tanstack/react-query");
      rerender(
        <QueryClientProvider client={new QueryClient()}>
          <NextLine material={material({ revision: 2 })} />
        </QueryClientProvider>,
      );
      const said = screen.getByRole("status").textContent;
      unmount();
      return said;
    };
    expect(await again(step("tile", { label: "Try Joints" }))).toBe(
      "Next: “Try Joints” made it worse: 2 things are open, before 1.",
    );
    expect(await again(step("tile", { label: "Use Joints" }))).not.toContain("worse");
  });

  it("does a thing again while it gets better, five times at most", async () => {
    const { user, rerender, edits } = line([step("fill", { words: "9 places" })]);
    const { QueryClient, QueryClientProvider } = await import("@tanstack/react-query");
    const client = new QueryClient();
    for (const [revision, words] of [
      [2, "6 places"],
      [3, "4 places"],
      [4, "3 places"],
      [5, "2 places"],
      [6, "1 place"],
    ] as const) {
      await user.click(screen.getByRole("button", { name: "Do fill" }));
      await settled();
      told.next = { revision, steps: [step("fill", { words, rule: "tiling.giveaways" })], packed: false };
      rerender(
        <QueryClientProvider client={client}>
          <NextLine material={material({ revision })} />
        </QueryClientProvider>,
      );
    }
    expect(edits).toHaveLength(5);
    expect(screen.getByRole("button", { name: "See it in Check" })).toBeTruthy();
  });

  it("offers to pack what is settled, and nothing where it is packed", () => {
    line([]);
    expect(screen.getByRole("button", { name: "Pack it" })).toBeTruthy();
    line([], true);
    expect(screen.getByRole("status").textContent).toBe("Next: Nothing to do here: it is packed as it is.");
    expect(screen.queryByRole("button")).toBeNull();
  });
});
