import { describe, expect, it } from "vitest";
import { mostDiffering } from "./differing";

const WIDTH = 20;

function picture(...dark: [number, number][]): Uint8Array {
  const made = new Uint8Array(WIDTH * 12).fill(255);
  for (const [x, y] of dark) made[y * WIDTH + x] = 0;
  return made;
}

describe("where pictures differ most", () => {
  it.each([
    [0, 0],
    [19, 11],
    [10, 5],
    [2, 11],
  ] as [number, number][])("is found at %i, %i", (x, y) => {
    const found = mostDiffering([picture([3, 3]), picture([3, 3], [x, y]), picture([3, 3])], WIDTH, 4);
    expect(x - (found?.left ?? 99)).toBeOneOf([0, 1, 2, 3]);
    expect(y - (found?.top ?? 99)).toBeOneOf([0, 1, 2, 3]);
  });

  it("is the place with more to see", () => {
    const found = mostDiffering([picture(), picture([1, 1], [15, 8], [16, 8], [16, 9])], WIDTH, 4);
    expect(found?.left).toBeGreaterThan(10);
  });

  it("is not where one of them is another altogether, but where all can be told apart", () => {
    const black = new Uint8Array(WIDTH * 12);
    const found = mostDiffering([picture([15, 8]), picture([16, 8], [16, 9]), picture(), black], WIDTH, 4);
    expect(found?.left).toBeGreaterThan(10);
    expect(found?.top).toBeGreaterThan(4);
  });

  it("is nowhere when they are alike, or one is alone", () => {
    expect(mostDiffering([picture([4, 4]), picture([4, 4])], WIDTH, 4)).toBeNull();
    expect(mostDiffering([picture([4, 4])], WIDTH, 4)).toBeNull();
    expect(mostDiffering([picture(), picture().map((grey) => grey - 2)], WIDTH, 4)).toBeNull();
  });
});
