// @vitest-environment happy-dom
/** A list that opens: what is chosen is told once, and it is a list box for whoever listens. */
import { expect, it } from "vitest";
import { screen } from "@testing-library/react";
import { drawn } from "../testing/page";
import { Dialog } from "./Dialog";
import { Pick } from "./Pick";

const groups = [
  {
    options: [
      { value: "a", label: "Ash" },
      { value: "b", label: "Birch" },
    ],
  },
  { label: "More", options: [{ value: "c", label: "Cedar" }] },
];

it.each([false, true])("tells what is chosen, within a dialog or not (%s)", async (within) => {
  const told: string[] = [];
  const pick = <Pick label="Wood" value="a" groups={groups} onChange={(value) => told.push(value)} />;
  const { user } = drawn(
    within ? (
      <Dialog title="D" open onClose={() => {}}>
        {pick}
      </Dialog>
    ) : (
      pick
    ),
  );
  await user.click(screen.getByRole("combobox", { name: "Wood" }));
  const options = await screen.findAllByRole("option");
  expect(options.map((one) => [one.textContent, one.getAttribute("aria-selected")])).toEqual([
    ["Ash", "true"],
    ["Birch", "false"],
    ["Cedar", "false"],
  ]);
  await user.click(options[2]!);
  expect(told).toEqual(["c"]);
  expect(screen.queryByRole("option")).toBeNull();
});
