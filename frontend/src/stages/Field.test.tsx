// @vitest-environment happy-dom
/** A setting as the hand meets it: what is said, what is asked for, what counts as one gesture. */
import { beforeEach, describe, expect, it, vi } from "vitest";
import { fireEvent, screen } from "@testing-library/react";
import type { SettingInfo, Value } from "../api/types";
import { about, drawn, opened } from "../testing/page";
import { Field } from "./Field";
import { useHelp } from "./help";

const declared = (path: string): SettingInfo => {
  const cut = path.lastIndexOf(".");
  return about.operations
    .find(({ id }) => id === path.slice(0, cut))!
    .settings.find(({ name }) => name === path.slice(cut + 1))!;
};

function field(path: string, value: Value) {
  const info = declared(path);
  const onChange = vi.fn<(value: Value, gesture?: string) => void>();
  const onReset = vi.fn();
  return {
    info,
    onChange,
    onReset,
    ...drawn(<Field info={info} value={value} onChange={onChange} onReset={onReset} />),
  };
}

describe("a setting", () => {
  beforeEach(() => void opened());

  it("steps by its own step with the arrows, a tenth with shift, ten with the page keys", () => {
    const { info, onChange } = field("tile.join.overlap_x", 20);
    const thumb = screen.getByRole("slider", { name: info.label });
    const step = info.step!;
    for (const [key, shiftKey, by] of [
      ["ArrowRight", false, step],
      ["ArrowDown", false, -step],
      ["ArrowUp", true, step / 10],
      ["PageUp", false, 10 * step],
    ] as const) {
      fireEvent.keyDown(thumb, { key, shiftKey });
      expect(onChange.mock.lastCall![0]).toBeCloseTo(20 + by, 6);
    }
  });

  it("counts every key as a gesture of its own", () => {
    const { info, onChange } = field("tile.join.overlap_x", 20);
    const thumb = screen.getByRole("slider", { name: info.label });
    fireEvent.keyDown(thumb, { key: "ArrowRight" });
    fireEvent.keyDown(thumb, { key: "ArrowRight" });
    const [first, second] = onChange.mock.calls.map(([, gesture]) => gesture);
    expect(first).toBeTruthy();
    expect(second).not.toBe(first);
  });

  it("never leaves its range, with keys or typed", async () => {
    const { info, onChange, user } = field("tile.join.overlap_x", 20);
    fireEvent.keyDown(screen.getByRole("slider", { name: info.label }), { key: "PageDown" });
    expect(onChange.mock.lastCall![0]).toBeGreaterThanOrEqual(info.min!);
    const typed = screen.getByRole("textbox", { name: `${info.label}, value` });
    await user.clear(typed);
    await user.type(typed, "9999{Enter}");
    expect(onChange.mock.lastCall![0]).toBe(info.max);
  });

  it("takes a comma for a point and a long minus for a short one, and nothing for anything else", async () => {
    const { info, onChange, user } = field("square.flat.turn", 0);
    const typed = screen.getByRole("textbox", { name: `${info.label}, value` });
    await user.clear(typed);
    await user.type(typed, "−1,5{Enter}");
    expect(onChange.mock.calls).toEqual([[-1.5]]);
    await user.clear(typed);
    await user.type(typed, "half{Enter}");
    await user.clear(typed);
    await user.type(typed, "{Enter}");
    await user.clear(typed);
    await user.type(typed, "2{Escape}");
    await user.tab();
    expect(onChange).toHaveBeenCalledTimes(1);
  });

  it("offers its default only where something else is set", async () => {
    const info = declared("tile.join.overlap_x");
    field("tile.join.overlap_x", info.default as number);
    expect(screen.queryByRole("button", { name: `Reset ${info.label}` })).toBeNull();
    const { onReset, user } = field("tile.join.overlap_x", 5);
    await user.click(screen.getByRole("button", { name: `Reset ${info.label}` }));
    expect(onReset).toHaveBeenCalledOnce();
  });

  it("gives a choice back as the value that was declared, a number as a number", async () => {
    const { info, onChange, user } = field("square.size.width", 1024);
    expect(info.kind).toBe("choice");
    const other = info.choices.find(({ value }) => value !== 1024)!;
    const group = screen.queryByRole("radiogroup", { name: info.label });
    if (group) await user.click(screen.getByRole("radio", { name: other.label }));
    else {
      await user.click(screen.getByRole("combobox", { name: info.label }));
      await user.click(await screen.findByRole("option", { name: other.label }));
    }
    expect(onChange.mock.calls).toEqual([[other.value]]);
  });

  it("hands a text over when it is left or entered, once, and only if it is another", async () => {
    const { info, onChange, user } = field("pack.files.name", "slate");
    const typed = screen.getByRole("textbox", { name: info.label });
    await user.type(typed, "s{Enter}");
    expect(onChange.mock.calls).toEqual([["slates"]]);
    await user.clear(typed);
    await user.type(typed, "slate");
    await user.tab();
    expect(onChange).toHaveBeenCalledTimes(1);
  });

  it("explains itself to whoever points at it", () => {
    const { info } = field("tile.join.overlap_x", 20);
    fireEvent.focus(screen.getByRole("slider", { name: info.label }));
    expect(useHelp.getState().text).toBe(info.help);
  });
});
