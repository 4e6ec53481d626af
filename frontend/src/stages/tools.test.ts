/** No tool leaves another half on. */
import { beforeEach, describe, expect, it } from "vitest";
import { create } from "zustand";
import { layDownTool, registerTool, toolInHand } from "./tools";

const usePipette = create<{ picking: boolean }>(() => ({ picking: false }));
const useBrush = create<{ tool: string | null; chosen: number | null; radius: number }>(() => ({
  tool: null,
  chosen: null,
  radius: 3,
}));
registerTool("pipette", usePipette, ({ picking }) => picking, { picking: false });
registerTool("brush", useBrush, ({ tool, chosen }) => tool !== null || chosen !== null, { tool: null, chosen: null });

describe("tools", () => {
  beforeEach(() => void layDownTool());

  it("lays one down when another is taken, and keeps what is set on it", () => {
    useBrush.setState({ tool: "heal", radius: 7 });
    expect(toolInHand()).toBe("brush");
    usePipette.setState({ picking: true });
    expect(useBrush.getState()).toEqual({ tool: null, chosen: null, radius: 7 });
    expect(toolInHand()).toBe("pipette");
  });

  it("stays in hand while it changes what it does", () => {
    useBrush.setState({ tool: "heal" });
    useBrush.setState({ tool: "clone" });
    useBrush.setState({ tool: null, chosen: 2 });
    expect(toolInHand()).toBe("brush");
  });

  it("is in nobody's hand once it was laid down by itself", () => {
    usePipette.setState({ picking: true });
    usePipette.setState({ picking: false });
    expect(toolInHand()).toBeNull();
    expect(layDownTool()).toBe(false);
  });

  it("lays down what is in hand, once", () => {
    useBrush.setState({ tool: "heal" });
    expect(layDownTool()).toBe(true);
    expect(useBrush.getState().tool).toBeNull();
    expect(layDownTool()).toBe(false);
  });
});
