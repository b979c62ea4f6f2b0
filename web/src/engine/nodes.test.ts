import { describe, expect, it } from "vitest";
import { dataOf, moved, ringsOf, withNode, withoutNode } from "./nodes";
import { distanceToSegment, mapped, simplified } from "./strokes";

const SQUARE = "M0 0L10 0L10 10L0 10Z";
const DISC = "M10 0A10 10 0 0 1 -10 0A10 10 0 0 1 10 0Z";

describe("nodes of a ring", () => {
  it("are read and written as they were", () => {
    expect(ringsOf(SQUARE)[0]).toHaveLength(4);
    expect(dataOf(ringsOf(SQUARE))).toBe(SQUARE);
    expect(ringsOf(SQUARE + DISC)).toHaveLength(2);
  });

  it("turn arcs into quarter curves that close", () => {
    const [ring] = ringsOf(DISC);
    expect(ring).toHaveLength(4);
    for (const node of ring ?? []) {
      expect(Math.hypot(node.at.x, node.at.y)).toBeCloseTo(10, 6);
      expect(node.arriving).not.toBeNull();
      expect(node.leaving).not.toBeNull();
    }
  });

  it("take their handles along and keep smooth joints smooth", () => {
    const rings = ringsOf(DISC);
    const node = rings[0]?.[0];
    const shifted = moved(rings, { ring: 0, node: 0, part: "at" }, { x: 12, y: 1 })[0]?.[0];
    expect(shifted?.leaving?.x).toBeCloseTo((node?.leaving?.x ?? 0) + 2, 6);
    const bent = moved(rings, { ring: 0, node: 0, part: "leaving" }, { x: 14, y: 4 })[0]?.[0];
    const cross =
      ((bent?.leaving?.x ?? 0) - 10) * ((bent?.arriving?.y ?? 0) - 0) -
      ((bent?.leaving?.y ?? 0) - 0) * ((bent?.arriving?.x ?? 0) - 10);
    expect(cross).toBeCloseTo(0, 6);
  });

  it("can be added without moving the line, and taken out down to two", () => {
    const rings = withNode(ringsOf(DISC), 0, 0);
    expect(rings[0]).toHaveLength(5);
    const middle = rings[0]?.[1]?.at ?? { x: 0, y: 0 };
    expect(Math.hypot(middle.x, middle.y)).toBeCloseTo(10, 2);
    let fewer = ringsOf(SQUARE);
    for (let k = 0; k < 5; k++) fewer = withoutNode(fewer, { ring: 0, node: 0, part: "at" });
    expect(fewer[0]).toHaveLength(2);
  });
});

describe("strokes", () => {
  it("keep only the places that matter", () => {
    const line = Array.from({ length: 50 }, (_, k) => ({ x: k, y: k % 2 ? 0.001 : 0 }));
    expect(simplified(line, 0.01)).toHaveLength(2);
    const bent = [...line, { x: 49, y: 30 }];
    expect(simplified(bent, 0.01)).toHaveLength(3);
  });

  it("measure to a segment and map as the service says", () => {
    expect(distanceToSegment({ x: 5, y: 3 }, { x: 0, y: 0 }, { x: 10, y: 0 })).toBe(3);
    expect(distanceToSegment({ x: 13, y: 4 }, { x: 0, y: 0 }, { x: 10, y: 0 })).toBe(5);
    expect(mapped([0, 1, -1, 0, 5, 6], { x: 2, y: 3 })).toEqual({ x: 2, y: 8 });
  });
});
