import { describe, expect, it } from "vitest";
import {
  type Camera,
  fitted,
  joined,
  LEAST_SCALE,
  MOST_SCALE,
  overlaps,
  panned,
  toScreen,
  toTable,
  visible,
  zoomedAt,
} from "./camera";

const camera: Camera = { scale: 4, x: 100, y: -30 };

describe("camera", () => {
  it("maps there and back", () => {
    for (const place of [
      { x: 0, y: 0 },
      { x: 12.5, y: -7 },
      { x: 1e4, y: 3 },
    ]) {
      const back = toTable(camera, toScreen(camera, place));
      expect(back.x).toBeCloseTo(place.x, 9);
      expect(back.y).toBeCloseTo(place.y, 9);
    }
  });

  it("holds the place under the pointer still while zooming", () => {
    const pointer = { x: 333, y: 222 };
    const before = toTable(camera, pointer);
    for (const factor of [0.5, 1.1, 7, 1e9, 1e-9]) {
      const next = zoomedAt(camera, pointer, factor);
      expect(toTable(next, pointer).x).toBeCloseTo(before.x, 6);
      expect(next.scale).toBeGreaterThanOrEqual(LEAST_SCALE);
      expect(next.scale).toBeLessThanOrEqual(MOST_SCALE);
    }
  });

  it("fits a box whole and in the middle", () => {
    const view = { width: 800, height: 600 };
    const seen = visible(fitted([10, 20, 110, 60], view), view);
    expect(seen[0]).toBeLessThan(10);
    expect(seen[2]).toBeGreaterThan(110);
    expect((seen[0] + seen[2]) / 2).toBeCloseTo(60, 6);
    expect((seen[1] + seen[3]) / 2).toBeCloseTo(40, 6);
  });

  it("fits even a box without size", () => {
    expect(Number.isFinite(fitted([5, 5, 5, 5], { width: 100, height: 100 }).scale)).toBe(true);
  });

  it("pans by screen pixels", () => {
    const moved = panned(camera, 8, -4);
    expect(toTable(moved, { x: 8, y: -4 })).toEqual(toTable(camera, { x: 0, y: 0 }));
  });

  it("knows boxes", () => {
    expect(overlaps([0, 0, 1, 1], [1, 1, 2, 2])).toBe(true);
    expect(overlaps([0, 0, 1, 1], [1.1, 0, 2, 1])).toBe(false);
    expect(
      joined([
        [0, 0, 1, 1],
        [-3, 0.5, 0, 9],
      ]),
    ).toEqual([-3, 0, 1, 9]);
  });
});
