import { describe, expect, it } from "vitest";
import { changedBy } from "./differences";

const before = {
  name: "Badge",
  sheets: [
    {
      id: "s1",
      placed: [
        { id: "c1", x: 1 },
        { id: "c2", x: 2 },
        { id: "c3", x: 3 },
      ],
    },
  ],
  pieces: [{ id: "p1", quantity: 4 }],
};

describe("what a difference makes of the value before", () => {
  it("is one number, and all else is the same object", () => {
    const after = changedBy(before, { sheets: { s1: { placed: { c2: { x: [9] } } } } }) as typeof before;
    expect(after.sheets[0]?.placed.map((copy) => copy.x)).toEqual([1, 9, 3]);
    expect(before.sheets[0]?.placed[1]?.x).toBe(2);
    expect(after.pieces).toBe(before.pieces);
    expect(after.sheets[0]?.placed[2]).toBe(before.sheets[0]?.placed[2]);
  });

  it("has what came, not what went, in the order that is told", () => {
    const told = { sheets: { s1: { placed: { "/": [0, 2, ["c4", "c2"]], c4: [{ id: "c4", x: 4 }] } } } };
    const after = changedBy(before, told) as typeof before;
    expect(after.sheets[0]?.placed).toEqual([
      { id: "c4", x: 4 },
      { id: "c2", x: 2 },
      { id: "c3", x: 3 },
    ]);
  });

  it("tells values of other lists by their numbers", () => {
    expect(changedBy(["distance", { text: "4 mm" }, "."], { "//": { 1: { text: ["9 mm"] } } })).toEqual([
      "distance",
      { text: "9 mm" },
      ".",
    ]);
  });

  it("may be another value altogether", () => {
    expect(changedBy(before, { pieces: [[]], name: ["Sign"] })).toEqual({
      ...before,
      pieces: [],
      name: "Sign",
    });
    expect(changedBy([], { "/": [0, 0, ["a"]], a: [{ id: "a" }] })).toEqual([{ id: "a" }]);
  });
});
