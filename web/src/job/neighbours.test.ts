import { describe, expect, it } from "vitest";
import type { Copy } from "./copies";
import type { Outline } from "./copyOutlines";
import { ghostsAt, lyingOf, MOST_CHECKED, neighbours, snapped } from "./neighbours";

/** A square of 20 mm whose print reaches 2 mm beyond its edge on the right. */
const SQUARE: Outline = {
  d: "M0 0L20 0L20 20L0 20Z",
  box: [0, 0, 20, 20],
  middle: { x: 10, y: 10 },
  reach: [0, 0, 22, 20],
  fills: [
    [
      { x: 0, y: 0 },
      { x: 22, y: 0 },
      { x: 22, y: 20 },
      { x: 0, y: 20 },
    ],
  ],
};
const OUTLINES = new Map([["l1", SQUARE]]);
const STILL = { dx: 0, dy: 0, turn: 0 };

function copy(key: string, x: number, y: number, more: Partial<Copy> = {}): Copy {
  return {
    key,
    layer: "l1",
    sheet: "s1",
    at: [1, 0, 0, 1, x, y],
    locked: false,
    beyond: false,
    ...more,
  } as Copy;
}

const HELD = copy("a", 100, 0);
const otherThan = (held: Copy) => (one: Copy) => one.key !== held.key;

describe("a copy in hand", () => {
  it("is held against all that its neighbours fill, not against their edges", () => {
    const lying = lyingOf([HELD, copy("b", 75, 0)], OUTLINES);
    const [found] = neighbours(ghostsAt([HELD], OUTLINES, STILL), lying, otherThan(HELD), 10);
    expect(found?.apart).toBeCloseTo(3, 9);
  });

  it("is held against none of another sheet, and none that moves along", () => {
    const lying = lyingOf([HELD, copy("b", 75, 0, { sheet: "s2" }), copy("c", 76, 0)], OUTLINES);
    const stays = (one: Copy) => one.key === "b";
    expect(neighbours(ghostsAt([HELD], OUTLINES, STILL), lying, stays, 10)).toEqual([null]);
  });

  it("is on another where they overlap, whatever their corners", () => {
    const lying = lyingOf([HELD, copy("b", 90, 5)], OUTLINES);
    const [found] = neighbours(ghostsAt([HELD], OUTLINES, STILL), lying, otherThan(HELD), 10);
    expect(found?.apart).toBe(0);
  });

  it("takes the sheet's spacing where it is dragged nearly there, and no other way", () => {
    const lying = lyingOf([HELD, copy("b", 75, 0)], OUTLINES);
    const drag = (dx: number) => snapped({ dx, dy: 1, turn: 0 }, [HELD], OUTLINES, lying, otherThan(HELD), 4);
    for (const dx of [-1, 0, 2, 3]) {
      const made = drag(dx);
      expect([100 + made.dx - (75 + 22), made.dy]).toEqual([expect.closeTo(4, 9), 1]);
    }
    expect(drag(9)).toEqual({ dx: 9, dy: 1, turn: 0 });
    expect(drag(-4)).toEqual({ dx: -4, dy: 1, turn: 0 }); // on another: nothing to keep a distance from
  });

  it("is not held against others where many are moved together", () => {
    const many = Array.from({ length: MOST_CHECKED + 1 }, (_, k) => copy(`m${k}`, 200 + 30 * k, 0));
    const lying = lyingOf([...many, copy("b", 175, 0)], OUTLINES);
    const by = { dx: 0.5, dy: 0, turn: 0 };
    expect(snapped(by, many, OUTLINES, lying, (one) => one.key === "b", 4)).toBe(by);
  });
});
