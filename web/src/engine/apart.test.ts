import { describe, expect, it } from "vitest";
import { apartOf as apart, overlap as meet, outlined, type Rings } from "./apart";
import type { Place } from "./camera";
import pairs from "./pairs.json"; // as the core finds them: see e2e/test_web_units.py

const apartOf = (one: Rings, other: Rings) => apart(outlined(one), outlined(other));
const overlap = (one: Rings, other: Rings) => meet(outlined(one), outlined(other));

const square = (x: number, y: number, side: number): Place[] => [
  { x, y },
  { x: x + side, y },
  { x: x + side, y: y + side },
  { x, y: y + side },
];

/** A circle of as many corners. */
function circle(x: number, y: number, radius: number, corners: number): Place[] {
  return Array.from({ length: corners }, (_, k) => ({
    x: x + radius * Math.cos((2 * Math.PI * k) / corners),
    y: y + radius * Math.sin((2 * Math.PI * k) / corners),
  }));
}

describe("how far outlines lie apart", () => {
  it("is told from corners to sides, not to corners alone", () => {
    const found = apartOf([square(0, 0, 10)], [circle(30, 5, 10, 4)]);
    expect(found.apart).toBeCloseTo(10, 9);
    expect(found.from.y).toBeCloseTo(5, 9);
    expect(found.to.x).toBeCloseTo(20, 9);
    expect(apartOf([circle(30, 5, 10, 4)], [square(0, 0, 10)]).to.x).toBeCloseTo(10, 9);
  });

  it("is that of the nearest of many sides, whichever run they are in", () => {
    for (let turn = 0; turn < 12; turn += 1) {
      const angle = (turn * Math.PI) / 6;
      const away = { x: 53 * Math.cos(angle), y: 53 * Math.sin(angle) };
      const found = apartOf([circle(0, 0, 20, 1000)], [circle(away.x, away.y, 30, 1000)]);
      expect(found.apart).toBeCloseTo(3, 3);
    }
  });

  it("reaches into holes", () => {
    const frame = [square(0, 0, 100), square(10, 10, 80)];
    expect(apartOf(frame, [square(12, 40, 10)]).apart).toBeCloseTo(2, 9);
  });

  it("is nothing where they overlap, which touching is not", () => {
    expect(overlap([square(0, 0, 10)], [square(9, 9, 10)])).toBe(true);
    expect(overlap([square(0, 0, 10)], [square(3, 3, 2)])).toBe(true);
    expect(overlap([square(3, 3, 2)], [square(0, 0, 10)])).toBe(true);
    expect(overlap([square(0, 0, 10)], [square(10, 0, 10)])).toBe(false);
    expect(overlap([square(0, 0, 10)], [square(12, 0, 10)])).toBe(false);
  });

  it("is what the core finds", () => {
    const rings = (flat: number[][]) =>
      flat.map((ring) =>
        Array.from({ length: ring.length / 2 }, (_, k) => ({
          x: ring[2 * k] as number,
          y: ring[2 * k + 1] as number,
        })),
      );
    for (const { one, other, apart } of pairs) {
      const [a, b] = [rings(one), rings(other)];
      expect(overlap(a, b) ? 0 : apartOf(a, b).apart).toBeCloseTo(apart, 6);
    }
    expect(pairs.filter(({ apart }) => apart === 0).length).toBeGreaterThan(2);
    expect(pairs.filter(({ apart }) => apart > 0).length).toBeGreaterThan(5);
  });
});
