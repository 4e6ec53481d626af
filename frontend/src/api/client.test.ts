/** Answers of the service: what is enclosed, what went wrong, what was called off. */
import { afterEach, describe, expect, it, vi } from "vitest";
import { api, calledOff, pictureUrl, Problem, request } from "./client";

const answers = (response: Response | Error) =>
  vi.stubGlobal(
    "fetch",
    vi.fn(async () => (response instanceof Error ? Promise.reject(response) : response)),
  );
const failure = async (response: Response | Error): Promise<Problem> => {
  answers(response);
  return request("/api/x").then(
    () => Promise.reject(new Error("it should have failed")),
    (error) => error as Problem,
  );
};

afterEach(() => vi.unstubAllGlobals());

describe("answers", () => {
  it("open into the material and the picture that came along", async () => {
    const told = new TextEncoder().encode(JSON.stringify({ id: "m", revision: 4, name: "Küste" }));
    const data = new Uint8Array(4 + told.length + 3);
    new DataView(data.buffer).setUint32(0, told.length, true);
    data.set(told, 4);
    data.set([0xff, 0xd8, 0xff], 4 + told.length);
    answers(new Response(data, { headers: { "Content-Type": "application/vnd.amber-thicket.enclosed" } }));
    const { material, picture } = await api.edit("m", { revision: 3, changes: {} });
    expect(material).toEqual({ id: "m", revision: 4, name: "Küste" });
    expect(new Uint8Array(await picture!.arrayBuffer())).toEqual(new Uint8Array([0xff, 0xd8, 0xff]));
  });

  it("do without a picture that took too long", async () => {
    const told = new TextEncoder().encode("{}");
    const data = new Uint8Array(4 + told.length);
    new DataView(data.buffer).setUint32(0, told.length, true);
    data.set(told, 4);
    answers(new Response(data, { headers: { "Content-Type": "application/vnd.amber-thicket.enclosed" } }));
    expect((await api.edit("m", { revision: 3, changes: {} })).picture).toBeNull();
  });

  it("say what went wrong and what to do", async () => {
    const body = JSON.stringify({ title: "Too large.", detail: "Give a smaller one." });
    const problem = await failure(new Response(body, { status: 422 }));
    expect([problem.status, problem.message, problem.detail]).toEqual([422, "Too large.", "Give a smaller one."]);
    const bare = await failure(new Response("<html>", { status: 502 }));
    expect([bare.status, bare.message]).toEqual([502, "The program did not answer."]);
    const gone = await failure(new TypeError("network"));
    expect([gone.status, gone.detail]).toEqual([0, "Is it still running? Nothing that was saved is lost."]);
  });

  it("tell what an edit called off from what failed", async () => {
    expect(calledOff(await failure(new Response(null, { status: 204 })))).toBe(true);
    expect(calledOff(await failure(new Response("{}", { status: 499 })))).toBe(true);
    expect(calledOff(await failure(new Response("{}", { status: 500 })))).toBe(false);
    // The page's own breaking off is no problem of anybody.
    const own = await failure(new DOMException("", "AbortError"));
    expect(own).toBeInstanceOf(DOMException);
  });
});

describe("addresses of pictures", () => {
  it("name layer, key, size and slot", () => {
    expect(pictureUrl("m", "height", "u16", "k")).toBe("/api/materials/m/picture/height.u16?key=k&side=768");
    expect(pictureUrl("m", "normal", "jpg", "k", "first-normal", 2048)).toBe(
      "/api/materials/m/picture/normal.jpg?key=k&side=2048&slot=first-normal",
    );
  });
  it("lead to zones, snapshots and lamps", () => {
    expect(pictureUrl("m", "zone:a1", "jpg", "k", "s")).toBe("/api/materials/m/zones/a1.jpg?key=k&side=768&slot=s");
    expect(pictureUrl("m", "then:7:height", "jpg", "")).toBe("/api/materials/m/snapshots/7/height.jpg?side=768");
    expect(pictureUrl("m", "light:3:sharp", "jpg", "k")).toBe("/api/materials/m/lights/3/sharp.jpg?key=k");
  });
});
