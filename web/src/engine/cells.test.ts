import { describe, expect, it } from "vitest";
import { type Box, overlaps } from "./camera";
import { Cells } from "./cells";

/** Numbers that look random, the same every time. */
function numbers(seed: number): () => number {
  let at = seed;
  return () => {
    at = (at * 16807) % 2147483647;
    return at / 2147483647;
  };
}

describe("things in cells", () => {
  it("are those whose boxes meet another, however unlike their sizes", () => {
    const next = numbers(7);
    const box = (most: number): Box => {
      const [x, y] = [next() * 400 - 200, next() * 400 - 200];
      return [x, y, x + next() * most, y + next() * most];
    };
    const boxes = Array.from({ length: 300 }, (_, k) => box(k % 20 ? 12 : 250));
    const cells = new Cells([...boxes.keys()], boxes);
    for (let k = 0; k < 100; k++) {
      const asked = box(k % 2 ? 5 : 60);
      const wanted = [...boxes.keys()].filter((n) => overlaps(asked, boxes[n] as Box));
      expect(cells.near(asked).map((one) => one.thing)).toEqual(wanted);
    }
    expect(new Cells([], []).near([0, 0, 1, 1])).toEqual([]);
  });
});
