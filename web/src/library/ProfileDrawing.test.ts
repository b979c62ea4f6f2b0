import { describe, expect, it } from "vitest";
import { added, moved } from "./ProfileDrawing";

const girths = [
  { id: "i1", height: 0, diameter: 40 },
  { id: "i2", height: 30, diameter: 60 },
  { id: "i3", height: 90, diameter: 50 },
];

describe("diameters of a profile", () => {
  it("keep their order, and the first the rim", () => {
    expect(moved(girths, "i1", 12, 44.2)[0]).toEqual({ id: "i1", height: 0, diameter: 44 });
    expect(moved(girths, "i2", 120, 70)[1]).toEqual({ id: "i2", height: 89.5, diameter: 70 });
    expect(moved(girths, "i2", -5, -3)[1]).toEqual({ id: "i2", height: 0.5, diameter: 1 });
    expect(moved(girths, "i3", 4000, 9000)[2]).toEqual({ id: "i3", height: 1000, diameter: 1000 });
  });

  it("are added where the wall is, as wide as it is there", () => {
    const wall = girths.map(({ height, diameter }) => [height, diameter / 2] as const);
    const made = added(girths, wall, 15.1);
    expect(made.map(({ height }) => height)).toEqual([0, 15, 30, 90]);
    expect(made[1]?.diameter).toBe(50);
    expect(new Set(made.map(({ id }) => id)).size).toBe(4);
    expect(added(girths, wall, 30.4)).toEqual(girths);
  });
});
