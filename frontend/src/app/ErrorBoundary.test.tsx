// @vitest-environment happy-dom
/** A page that cannot be drawn says so, and another one can be opened. */
import { describe, expect, it, vi } from "vitest";
import { fireEvent, screen } from "@testing-library/react";
import { drawn } from "../testing/page";
import { ErrorBoundary } from "./ErrorBoundary";

const Broken = ({ broken }: { broken: { now: boolean } }) => {
  if (broken.now) throw new Error("an object is no child");
  return <p>all well</p>;
};

describe("a page that cannot be drawn", () => {
  it("says what went wrong, and goes on at the library", () => {
    vi.spyOn(console, "error").mockImplementation(() => {});
    const broken = { now: true };
    drawn(
      <ErrorBoundary>
        <Broken broken={broken} />
      </ErrorBoundary>,
    );
    expect(screen.getByRole("alert").textContent).toContain("an object is no child");
    expect(screen.getByRole("alert").textContent).toContain("Nothing that was saved is lost");
    broken.now = false;
    fireEvent.click(screen.getByRole("button", { name: "To the library" }));
    expect(screen.queryByRole("alert")).toBeNull();
    expect(screen.getByText("all well")).toBeTruthy();
    expect(location.pathname).toBe("/");
  });
});
