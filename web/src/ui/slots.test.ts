import { describe, expect, it } from "vitest";
import type { Slot } from "../api/client";
import { editable, localDay, parseDay, say, stepped, understand } from "./slots";

const slot = (own: Partial<Slot>): Slot => ({
  path: "a/b",
  kind: "length",
  value: 2,
  text: "2.0 mm",
  called: "distance",
  low: -20,
  high: 200,
  step: 0.1,
  auto: "",
  choices: [],
  changed: false,
  ...own,
});

describe("slots", () => {
  it("say their values", () => {
    expect(say(slot({}), 2.4, "mm")).toBe("2.4 mm");
    expect(say(slot({}), 25.4, "in")).toBe("1 in");
    expect(say(slot({ kind: "share", auto: "as suggested" }), null, "mm")).toBe("as suggested");
    expect(say(slot({ kind: "text", auto: "nobody yet" }), "", "mm")).toBe("nobody yet");
    expect(say(slot({ kind: "count" }), 12000, "mm")).toBe("12\u2009000");
    expect(say(slot({ kind: "date" }), "2027-01-09", "mm")).toBe("Sat 9 Jan");
    const choices = [{ value: "k", label: "a key", words: "" }];
    expect(say(slot({ kind: "choice", choices }), "k", "mm")).toBe("a key");
  });

  it("understand what is typed, and say their limits otherwise", () => {
    expect(understand(slot({}), '1/16"', "mm")).toEqual({ value: 1.5875 });
    expect(understand(slot({}), "900", "mm")).toEqual({ problem: "It can be from -20.0 mm to 200.0 mm" });
    expect(understand(slot({}), "wide", "mm")).toHaveProperty("problem");
    expect(understand(slot({ kind: "count", low: 1, high: 9 }), "12", "mm")).toHaveProperty("problem");
    expect(understand(slot({ kind: "share", low: 0, high: 1 }), "48", "mm")).toEqual({ value: 0.48 });
  });

  it("read back what an editor starts with", () => {
    for (const unit of ["mm", "in"] as const)
      for (const value of [0, 2, 2.4, 101.6]) {
        const read = understand(slot({}), editable(slot({}), value, unit), unit);
        expect("value" in read && read.value).toBeCloseTo(value, 1);
      }
  });

  it("step on round figures within their limits", () => {
    let value = 2;
    for (let press = 0; press < 3; press += 1) value = stepped(slot({}), value, 1);
    expect(value).toBe(2.3);
    expect(stepped(slot({}), 199.95, 1)).toBe(200);
    expect(stepped(slot({}), -20, -10)).toBe(-20);
    expect(stepped(slot({ kind: "count", step: 1, low: 1, high: 9 }), 3, 1)).toBe(4);
  });
});

describe("days", () => {
  it.each([
    ["12 dec", "2026-12-12"],
    ["Dec 12", "2026-12-12"],
    ["12. December 2027", "2027-12-12"],
    ["3/1", "2027-01-03"],
    ["3.1.28", "2028-01-03"],
    ["2031-03-14", "2031-03-14"],
    ["tomorrow", "2026-12-01"],
    ["in 2 weeks", "2026-12-14"],
    ["fri", "2026-12-04"],
    ["monday", "2026-12-07"],
    ["30 feb", null],
    ["soon", null],
    ["13/13", null],
  ])("reads %s", (said, day) => {
    expect(parseDay(said, "2026-11-30")).toBe(day); // a Monday
  });

  it("takes the day of the screen", () => {
    expect(localDay(new Date(2026, 0, 5, 23, 30))).toBe("2026-01-05");
  });
});
