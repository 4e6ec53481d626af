/** The line to the service: what a page hears when streams are refused or break off. */
import { afterEach, beforeEach, describe, expect, it, vi } from "vitest";
import { openStream, type Told } from "./stream";

class Line extends EventTarget {
  static CLOSED = 2;
  static made: Line[] = [];
  readyState = 1;
  onopen = () => {};
  onerror = () => {};
  constructor() {
    super();
    Line.made.push(this);
  }
  close() {
    this.readyState = 2;
  }
}

let heard: Told[] = [];
let backs = 0;

beforeEach(() => {
  vi.useFakeTimers();
  Line.made = [];
  heard = [];
  backs = 0;
  vi.stubGlobal("EventSource", Line);
});
afterEach(() => {
  vi.useRealTimers();
  vi.unstubAllGlobals();
});

const open = () =>
  openStream(
    (told) => heard.push(told),
    () => (backs += 1),
  );

describe("the line", () => {
  it("hands on what is announced, and says when anything may have been missed", () => {
    open();
    Line.made[0]!.onopen();
    Line.made[0]!.dispatchEvent(new MessageEvent("job", { data: '{"id":"j"}' }));
    Line.made[0]!.dispatchEvent(new MessageEvent("missed", { data: "{}" }));
    expect(heard).toEqual([{ kind: "job", data: { id: "j" } }]);
    expect(backs).toBe(2);
  });

  it("asks from time to time where a stream is refused, from the mark of the last answer, and tries the stream again", async () => {
    const answers = [
      { mark: "a-3", events: [], missed: true },
      { mark: "a-4", events: [{ kind: "library", data: { id: "m" } }], missed: false },
    ];
    const asked: string[] = [];
    vi.stubGlobal("fetch", async (path: string) => {
      asked.push(path);
      return new Response(JSON.stringify(answers[Math.min(asked.length, 2) - 1]));
    });
    open();
    Line.made[0]!.readyState = 2;
    Line.made[0]!.onerror();
    await vi.advanceTimersByTimeAsync(100);
    expect(backs).toBe(1);
    await vi.advanceTimersByTimeAsync(4000);
    expect(asked).toEqual(["/api/events/since?mark=", "/api/events/since?mark=a-3"]);
    expect(heard[0]).toEqual({ kind: "away", data: null });
    heard = heard.filter(({ kind }) => kind !== "away");
    expect(heard).toEqual([{ kind: "library", data: { id: "m" } }]);
    await vi.advanceTimersByTimeAsync(60_000);
    expect(Line.made).toHaveLength(2);
  });

  it("leaves it to the browser to come back after a break, but not for ever", async () => {
    vi.stubGlobal("fetch", async () => new Response('{"mark":"a-1","events":[],"missed":false}'));
    open();
    const line = Line.made[0]!;
    for (let time = 0; time < 4; time += 1) line.onerror();
    expect(line.readyState).toBe(1);
    line.onopen();
    for (let time = 0; time < 5; time += 1) line.onerror();
    expect(line.readyState).toBe(2);
  });
});
