/** What waits for the pictures, and in which order. */
import { afterEach, beforeEach, describe, expect, it, vi } from "vitest";

vi.stubGlobal("window", globalThis);
const { keepAbout } = await import("../api/about");
keepAbout({ roles: [{ id: "base_color" }] } as never);
const { busy, heardOf, useBusy, useWorking, whenRested } = await import("./busy");

describe("what follows a change", () => {
  beforeEach(() => void vi.useFakeTimers());
  afterEach(() => {
    vi.useRealTimers();
    useBusy.setState({ running: {} });
  });

  it("waits until nothing that is looked at is made or saved", () => {
    const work = vi.fn();
    const saved = busy("saving");
    whenRested(work, 30);
    vi.advanceTimersByTime(500);
    expect(work).not.toHaveBeenCalled();
    const drawn = busy("base_color");
    saved();
    vi.advanceTimersByTime(500);
    expect(work).not.toHaveBeenCalled();
    drawn();
    vi.advanceTimersByTime(40);
    expect(work).toHaveBeenCalledTimes(1);
  });

  it("comes behind what goes before it, even when that is only about to begin", () => {
    const order: string[] = [];
    whenRested(() => order.push("rules"), 30, ["cards"]);
    whenRested(() => {
      const done = busy("cards");
      order.push("cards");
      setTimeout(done, 200);
    }, 30);
    vi.advanceTimersByTime(180);
    expect(order).toEqual(["cards"]);
    vi.advanceTimersByTime(200);
    expect(order).toEqual(["cards", "rules"]);
  });

  it("can be called off", () => {
    const work = vi.fn();
    whenRested(work, 30)();
    vi.advanceTimersByTime(1000);
    expect(work).not.toHaveBeenCalled();
  });

  it("counts what runs twice, and an end once", () => {
    const [one, two] = [busy("figures"), busy("figures")];
    one();
    one();
    expect(useBusy.getState().running).toEqual({ figures: 1 });
    two();
    expect(useBusy.getState().running).toEqual({});
  });

  it("forgets a long decision that is no longer spoken of", () => {
    heardOf(0.4, "re-growing");
    expect(useWorking.getState().now).toEqual({ share: 0.4, what: "re-growing" });
    vi.advanceTimersByTime(1000);
    heardOf(0.6, "re-growing");
    vi.advanceTimersByTime(1400);
    expect(useWorking.getState().now?.share).toBe(0.6);
    vi.advanceTimersByTime(200);
    expect(useWorking.getState().now).toBeNull();
  });
});
