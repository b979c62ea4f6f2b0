import { describe, expect, it } from "vitest";
import { pathFacts } from "./pathdata";

const close = (box: readonly number[], wanted: readonly number[]) => {
  for (const [k, value] of box.entries()) expect(value).toBeCloseTo(wanted[k] as number, 4);
};

describe("the box of a path", () => {
  it("is that of its curve, not of its handles", () => {
    close(pathFacts("M 0 0 C 0 40 100 40 100 0 Z").box, [0, 0, 100, 30]);
    close(pathFacts("M 0 0 C 30 0 60 0 90 0").box, [0, 0, 90, 0]);
  });

  it("is that of its arcs, whichever way they go", () => {
    close(pathFacts("M 10 0 A 10 10 0 0 1 0 10").box, [0, 0, 10, 10]);
    close(pathFacts("M 10 0 A 10 10 0 1 0 0 10").box, [-10, -10, 10, 10]);
    close(pathFacts("M 10 0 A 10 10 0 0 0 0 10").box, [0, 0, 10, 10]);
    close(pathFacts("M 10 0 A 10 10 0 1 1 -10 0 A 10 10 0 1 1 10 0 Z").box, [-10, -10, 10, 10]);
  });

  it("holds every place of random curves, and no more", () => {
    for (let k = 0; k < 200; k++) {
      const [a, b, c, d, e, f, g, h] = Array.from({ length: 8 }, () => Math.random() * 100) as number[] & {
        length: 8;
      };
      const { box } = pathFacts(`M ${a} ${b} C ${c} ${d} ${e} ${f} ${g} ${h}`);
      const seen = [Infinity, Infinity, -Infinity, -Infinity];
      for (let step = 0; step <= 2000; step++) {
        const t = step / 2000;
        const at = (p = 0, q = 0, r = 0, s = 0) =>
          (1 - t) ** 3 * p + 3 * (1 - t) ** 2 * t * q + 3 * (1 - t) * t * t * r + t ** 3 * s;
        const [x, y] = [at(a, c, e, g), at(b, d, f, h)];
        seen[0] = Math.min(seen[0] as number, x);
        seen[1] = Math.min(seen[1] as number, y);
        seen[2] = Math.max(seen[2] as number, x);
        seen[3] = Math.max(seen[3] as number, y);
      }
      for (const [j, value] of box.entries())
        expect(Math.abs(value - (seen[j] as number))).toBeLessThan(0.01);
    }
  });
});
