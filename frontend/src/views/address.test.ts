// @vitest-environment happy-dom
import { afterEach, beforeEach, expect, test, vi } from "vitest";

const shelf = new Map<string, string>();
vi.stubGlobal("localStorage", {
  getItem: (key: string) => shelf.get(key) ?? null,
  setItem: (key: string, text: string) => shelf.set(key, text),
});
const { keepAbout } = await import("../api/about");
const { placeOf } = await import("../app/router");
const { addressOf, followViews, readView, takeAddress } = await import("./address");
const { openStage, openViews, setView, useViews } = await import("./state");

beforeEach(() => {
  keepAbout({ roles: [{ id: "height" }, { id: "base_color" }] } as never);
  history.replaceState(null, "", "/m/one/gather");
});
afterEach(() => shelf.clear());

test("places have addresses, and what is none says so", () => {
  expect(placeOf("/")).toMatchObject({ page: "library" });
  expect(placeOf("/m/a-1")).toMatchObject({ page: "bench", material: "a-1", stage: null });
  expect(placeOf("/m/a-1/tile")).toMatchObject({ page: "bench", material: "a-1", stage: "tile" });
  expect(placeOf("/batch/12")).toMatchObject({ page: "batch", batch: 12 });
  expect(placeOf("/guide/tile")).toMatchObject({ page: "guide", reading: "tile" });
  for (const wrong of ["/m/a-1/paint", "/batch/x", "/nothing", "/m/"]) expect(placeOf(wrong).page).toBe("nowhere");
});

test("a view is read as it is written, and nothing else is", () => {
  expect(readView("height.repeated.4")).toEqual({ what: "height", how: "repeated", repeat: 4 });
  expect(readView("height.shifted")).toEqual({ what: "height", how: "shifted" });
  expect(readView("lit")).toEqual({ what: "lit" });
  expect(readView("height.repeated.99")).toEqual({ what: "height", how: "repeated" });
  for (const wrong of [null, "", "wall.single", "height.upside"]) expect(readView(wrong)).toBeNull();
});

test("the address follows stage, views and comparison, and sets them up again", () => {
  openViews("one");
  const stop = followViews("one");
  const before = history.length;
  openStage("relief");
  expect(location.pathname + location.search).toBe("/m/one/relief");
  // A stage can be gone back to, how a view is set is not one more step.
  expect(history.length).toBe(before + 1);
  setView("second", { what: "height", how: "repeated", repeat: 6 });
  useViews.setState(({ compare }) => ({ compare: { ...compare, mode: "wipe" } }));
  expect(location.search).toBe("?second=height.repeated.6&compare=wipe");
  expect(history.length).toBe(before + 1);
  stop();
  const { search } = location;
  shelf.clear();
  openViews("two");
  expect(useViews.getState().setups.relief.second.what).toBe("lit");
  openStage("relief");
  takeAddress("relief", search);
  expect(addressOf("two", useViews.getState())).toBe(`/m/two/relief${search}`);
});

test("views belong to their material; a new one opens at Gather", () => {
  openViews("three");
  openStage("check");
  setView("first", { what: "height", how: "shifted" });
  openViews("four");
  expect(useViews.getState().stage).toBe("gather");
  expect(useViews.getState().setups.check.first).toMatchObject({ what: "base_color", how: "single" });
  openViews("three");
  expect(useViews.getState().stage).toBe("check");
  expect(useViews.getState().setups.check.first).toMatchObject({ what: "height", how: "shifted" });
});
