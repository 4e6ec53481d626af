/** Values and lengths as they are written beside a slider. */
import { describe, expect, it } from "vitest";
import type { Material, SettingInfo } from "../api/types";
import { lengthText, unitText, valueText } from "./lengths";

const number = (more: Partial<SettingInfo>) =>
  ({
    kind: "number",
    name: "x",
    label: "X",
    unit: "",
    integer: false,
    step: 0.1,
    min: 0,
    max: 100,
    default: 0,
    choices: [],
    ...more,
  }) as unknown as SettingInfo;
const tile = (mm: number | null) =>
  ({ recipe: { operations: {} }, preview: { finished: [2048, 1024], tile_mm: mm } }) as unknown as Material;

describe("lengths", () => {
  it("are said in px of the finished maps, and in mm where the real size is known", () => {
    const share = number({ unit: "% of tile" });
    expect(lengthText(share, 2, tile(null))).toBe("41 px");
    expect(lengthText(share, 2, tile(800))).toBe("41 px · 16 mm");
    expect(lengthText(share, 0.1, tile(800))).toBe("2.0 px · 0.8 mm");
    expect(lengthText(number({ unit: "%" }), 2, tile(800))).toBe("");
  });
});

describe("values", () => {
  it("have as many places as their step", () => {
    expect(valueText(number({ step: 1 }), 20)).toBe("20");
    expect(valueText(number({ step: 0.1 }), 2)).toBe("2.0");
    expect(valueText(number({ step: 0.05 }), 0.45)).toBe("0.45");
    expect(valueText(number({ integer: true, step: null as unknown as number }), 7)).toBe("7");
  });
  it("show more places where somebody typed more", () => {
    expect(valueText(number({ step: 0.1 }), 2.25)).toBe("2.25");
    expect(valueText(number({ step: 1 }), 0.5)).toBe("0.5");
  });
  it("have a true minus, and words where they are no numbers", () => {
    expect(valueText(number({ step: 1 }), -5)).toBe("−5");
    expect(valueText(number({ kind: "switch" }), true)).toBe("on");
    const choice = number({ kind: "choice", choices: [{ value: "up", label: "Upwards" }] as SettingInfo["choices"] });
    expect(valueText(choice, "up")).toBe("Upwards");
    expect(valueText(choice, "down")).toBe("down");
    expect(valueText(number({ kind: "text" }), "")).toBe("–");
  });
  it("carry their unit in short", () => {
    expect(unitText("% of tile")).toBe("%");
    expect(unitText("mm")).toBe("mm");
  });
});
