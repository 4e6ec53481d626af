import { describe, expect, it } from "vitest";
import { leftOut, lookOf, timeOf } from "./look";
import { useLit } from "./state";

describe("what is asked of a still", () => {
  const setup = useLit.getState();

  it("is the lit view's place and light, at its size or twice that", () => {
    const look = lookOf({ ...setup, turn: 30, lamp: 2, displacement: 150 }, 400, 300, 2);
    expect(look).toMatchObject({ width: 800, height: 600, turn: 30, lamp: 2, displacement: 1.5, shape: "slab" });
  });

  it("is never larger than 2048 px", () => {
    expect(lookOf(setup, 1600, 800, 2)).toMatchObject({ width: 2048, height: 1024 });
  });

  it("stands for other shapes with the ball, and leaves out what is off", () => {
    expect(lookOf({ ...setup, shape: "cloth" }, 400, 300).shape).toBe("ball");
    expect(lookOf({ ...setup, off: ["height"] }, 400, 300).displacement).toBe(0);
    expect(lookOf({ ...setup, relief: "normal" }, 400, 300).displacement).toBe(0);
    expect(lookOf({ ...setup, behind: true }, 400, 300).lamp).toBe(0);
  });

  it("says what it leaves out of what the lit view shows", () => {
    expect(leftOut(setup, { base_color: "k" })).toBe("");
    expect(leftOut({ ...setup, shape: "ball", lamp: 0, behind: true }, {})).toBe("");
    expect(leftOut({ ...setup, shape: "cloth", parallel: true, varnish: 20 }, { opacity: "k" })).toBe(
      "without this shape (it is the ball), parallel rays, varnish, opacity",
    );
    expect(leftOut({ ...setup, off: ["opacity"] }, { opacity: "k" })).toBe("");
  });

  it("says how long it takes", () => {
    expect(timeOf({ width: 500, height: 500 }, 16)).toBe("about 10 s");
    expect(timeOf({ width: 1000, height: 800 }, 256)).toBe("about 8 min");
  });
});
