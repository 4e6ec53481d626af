// @vitest-environment happy-dom
/** Pictures while something moves: half of a slow one first, the whole one right after. */
import { act, render } from "@testing-library/react";
import { beforeEach, expect, it, vi } from "vitest";

const asked: { url: string; answer: () => void }[] = [];
vi.stubGlobal("createImageBitmap", async () => ({ width: 1, height: 1 }));
vi.mock("../api/client", async (load) => ({
  ...(await load<object>()),
  request: (url: string) =>
    new Promise((done) => asked.push({ url, answer: () => done({ blob: async () => new Blob() }) })),
}));
const { keepPicture } = await import("./kept");
const { usePicture } = await import("./pictures");

let now = 0;
const Shown = ({ picture }: { picture: string }) => {
  const seen = usePicture({ id: "m", layer: "evened", key: picture, slot: "first", side: 768 });
  return <p>{seen.picture?.name ?? "nothing"}</p>;
};
const sides = () => asked.map(({ url }) => /side=(\d+)/.exec(url)![1]);
/** Time passes, and then the newest question is answered. */
const answered = (after: number) =>
  act(async () => {
    now += after;
    asked.at(-1)!.answer();
    await vi.advanceTimersByTimeAsync(0);
  });
const show = (view: ReturnType<typeof render>, key: string) =>
  act(async () => {
    view.rerender(<Shown picture={key} />);
    await vi.advanceTimersByTimeAsync(0);
  });

beforeEach(() => {
  vi.useFakeTimers({ toFake: ["setTimeout", "clearTimeout"] });
  vi.spyOn(performance, "now").mockImplementation(() => now);
  asked.length = 0;
});

it("asks for half of a slow picture while a hand moves, and for the whole one when it rests", async () => {
  const view = render(<Shown picture="a" />);
  await answered(90);
  dispatchEvent(new Event("pointerdown"));
  now += 500;
  await show(view, "b");
  expect(sides()).toEqual(["768", "384"]);
  await answered(20);
  expect(view.container.textContent).toBe("evened/b/384");
  // The whole one follows by itself, and takes its place.
  await act(() => vi.advanceTimersByTimeAsync(60));
  expect(sides()).toEqual(["768", "384", "768"]);
  await answered(80);
  expect(view.container.textContent).toBe("evened/b/768");
  dispatchEvent(new Event("pointerup"));
});

it("asks for half of a slow picture after a step alone as well, and for the whole one right after it", async () => {
  const view = render(<Shown picture="c" />);
  await answered(90);
  now += 1000;
  await show(view, "d");
  expect(sides()).toEqual(["768", "384"]);
  await answered(20);
  // Nobody waits for the end of a movement.
  expect(sides()).toEqual(["768", "384", "768"]);
  expect(view.container.textContent).toBe("evened/d/384");
  await answered(80);
  expect(view.container.textContent).toBe("evened/d/768");
  // Back to what there is: nothing is asked for.
  await show(view, "c");
  expect(view.container.textContent).toBe("evened/c/768");
  expect(sides()).toHaveLength(3);
});

it("goes on to the newest when another step comes before the half picture", async () => {
  const view = render(<Shown picture="c2" />);
  await answered(90);
  now += 1000;
  await show(view, "d2");
  now += 200;
  await show(view, "e2");
  await answered(20);
  await answered(20);
  await answered(80);
  expect(asked.map(({ url }) => /key=(\w+).*side=(\d+)/.exec(url)!.slice(1).join(" "))).toEqual([
    "c2 768",
    "d2 384",
    "e2 384",
    "e2 768",
  ]);
  expect(view.container.textContent).toBe("evened/e2/768");
});

it("shows a half picture that came with the change, and asks for the whole one", async () => {
  const view = render(<Shown picture="p" />);
  await answered(90);
  now += 1000;
  await keepPicture("evened", "q", new Blob(), 384);
  await show(view, "q");
  expect(view.container.textContent).toBe("evened/q/384");
  expect(sides()).toEqual(["768", "768"]);
  await answered(80);
  expect(view.container.textContent).toBe("evened/q/768");
  // While a hand moves, only when it rests.
  dispatchEvent(new Event("pointerdown"));
  await keepPicture("evened", "r", new Blob(), 384);
  await show(view, "r");
  expect(view.container.textContent).toBe("evened/r/384");
  expect(sides()).toHaveLength(2);
  await act(() => vi.advanceTimersByTimeAsync(60));
  expect(sides()).toHaveLength(3);
  await answered(80);
  dispatchEvent(new Event("pointerup"));
});

it("asks for the whole of what is quick", async () => {
  const view = render(<Shown picture="f" />);
  await answered(90);
  now += 1000;
  await show(view, "g");
  await answered(10);
  await answered(20);
  now += 1000;
  // Quick by now, in one step or in several.
  await show(view, "h");
  await answered(20);
  await show(view, "i");
  expect(sides()).toEqual(["768", "384", "768", "768", "768"]);
});
