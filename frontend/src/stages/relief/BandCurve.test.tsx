// @vitest-environment happy-dom
/** Detail by size: one handle a band, by hand or by keys. */
import { describe, expect, it } from "vitest";
import { fireEvent, screen } from "@testing-library/react";
import { settled } from "../../editor/store";
import { about, drawn, material, opened } from "../../testing/page";
import { BandCurve } from "./BandCurve";

describe("detail by size", () => {
  it("steps by a tenth, with shift by a twentieth, and stops at 0 and 3", async () => {
    const edits = opened({ "relief.bands.fine": 2.95, "relief.bands.small": 0.05 });
    drawn(<BandCurve material={material()} />);
    fireEvent.keyDown(screen.getByRole("slider", { name: "Fine detail" }), { key: "ArrowUp" });
    fireEvent.keyDown(screen.getByRole("slider", { name: "Small detail" }), { key: "ArrowDown" });
    fireEvent.keyDown(screen.getByRole("slider", { name: "Large detail" }), { key: "ArrowLeft", shiftKey: true });
    await settled();
    const changes = Object.assign({}, ...edits.map((edit) => edit.changes)) as Record<string, number>;
    const bands = about.operations.find(({ id }) => id === "relief.bands")!.settings;
    const large = bands.find(({ name }) => name === "large")!.default as number;
    expect(changes).toEqual({ "relief.bands.fine": 3, "relief.bands.small": 0, "relief.bands.large": large - 0.05 });
  });

  it("follows the hand: the line of 1 lies where the square root of a third of the height does", async () => {
    const edits = opened();
    const { container } = drawn(<BandCurve material={material()} />);
    const area = container.querySelector("svg")!;
    area.getBoundingClientRect = () => ({ top: 0, left: 0, height: 118, width: 284 }) as DOMRect;
    const handle = screen.getByRole("slider", { name: "Finest detail" });
    fireEvent.pointerDown(handle, { pointerId: 1, buttons: 1 });
    // 118 − 8 − √(gain ÷ 3) · 98
    for (const gain of [0, 0.75, 3])
      fireEvent.pointerMove(handle, { buttons: 1, clientY: 110 - Math.sqrt(gain / 3) * 98 });
    fireEvent.pointerUp(handle);
    fireEvent.pointerMove(handle, { buttons: 0, clientY: 50 });
    await settled();
    expect(edits.map(({ changes }) => changes["relief.bands.finest"])).toEqual([0, 3]);
    expect(new Set(edits.map(({ gesture }) => gesture)).size).toBe(1);
  });

  it("goes back to what is declared by a double click", async () => {
    const edits = opened({ "relief.bands.medium": 2 });
    drawn(<BandCurve material={material()} />);
    fireEvent.doubleClick(screen.getByRole("slider", { name: "Medium detail" }));
    await settled();
    expect(edits[0]!.changes).toEqual({ "relief.bands.medium": null });
  });

  it("sets the contrast of a size on the same curve, within its own ends", async () => {
    const edits = opened({ "relief.bands.small_contrast": 2 });
    const { user } = drawn(<BandCurve material={material()} />);
    await user.click(screen.getByRole("radio", { name: "Contrast" }));
    const handle = screen.getByRole("slider", { name: "Small contrast" });
    expect(handle.getAttribute("aria-valuenow")).toBe("2");
    fireEvent.keyDown(handle, { key: "ArrowUp" });
    await settled();
    expect(edits.at(-1)!.changes).toEqual({ "relief.bands.small_contrast": 2.1 });
    handle.closest("svg")!.getBoundingClientRect = () => ({ top: 0, height: 118 }) as DOMRect;
    fireEvent.pointerDown(handle);
    fireEvent.pointerMove(handle, { buttons: 1, clientY: 118 });
    await settled();
    expect(edits.at(-1)!.changes).toEqual({ "relief.bands.small_contrast": 0.3 });
  });

  it("speaks in millimetres where the width is known, else in hundredths of the tile", () => {
    opened();
    const { container } = drawn(
      <BandCurve material={material({ preview: { ...material().preview, tile_mm: 2000 } })} />,
    );
    expect([...container.querySelectorAll("text")].map((one) => one.textContent)).toEqual([
      "10",
      "28",
      "56",
      "116",
      "260",
      "700 mm",
    ]);
    const { container: other } = drawn(<BandCurve material={material()} />);
    expect([...other.querySelectorAll("text")].map((one) => one.textContent)).toEqual([
      "0.5",
      "1.4",
      "2.8",
      "5.8",
      "13",
      "35 %",
    ]);
  });
});
