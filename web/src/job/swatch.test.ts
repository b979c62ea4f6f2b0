import { describe, expect, it } from "vitest";
import { kerfChanges, pickChanges, steps } from "./swatch";
import type { Sheet, Ticket } from "./ticket";

const sheet = {
  id: "s1",
  holds: [{ id: "h1", layer: "l1" }],
  settings: [{ id: "own", process: "engrave", how: { kind: "by beam", power: 0.2, speed: 100 } }],
} as unknown as Sheet;
const engraved = (kind: string) => ({ kind: "engrave", fill: { kind } });
const ticket = {
  pieces: [
    {
      id: "p1",
      layers: [
        {
          id: "l1",
          lines: [
            { id: "k1", process: engraved("by hatching") },
            { id: "k2", process: { kind: "through cut" } },
            { id: "k4", process: engraved("along the lines") },
          ],
        },
        { id: "l2", lines: [{ id: "k3", process: engraved("by rings") }] },
      ],
    },
  ],
} as unknown as Ticket;

describe("a swatch", () => {
  it("reads numbers however they are parted, and none of what is no number", () => {
    expect(steps("10 20; 40", 100)).toEqual([0.1, 0.2, 0.4]);
    expect(steps("0,06 0.1", 1)).toEqual([0.06, 0.1]);
    expect(steps("10 ten", 1)).toEqual([]);
    expect(steps("0 5", 1)).toEqual([]);
  });
  it("sets power and speed of the process, and an interval on the lines of this sheet", () => {
    const speed = pickChanges(ticket, sheet, { process: "engrave", power: 0.4, across: "speed", value: 300 });
    expect(speed.map(({ path, value }) => [path, value])).toEqual([
      ["sheets/s1/settings/own/how/power", 0.4],
      ["sheets/s1/settings/own/how/speed", 300],
    ]);
    const gap = pickChanges(ticket, sheet, {
      process: "engrave",
      power: 0.4,
      across: "interval",
      value: 0.08,
    });
    expect(gap.map(({ path }) => path)).toContain("pieces/p1/layers/l1/lines/k1/process/fill/interval");
    expect(gap).toHaveLength(2);
  });
  it("adds a setting where the process has none", () => {
    expect(kerfChanges(sheet, "through cut", 0.15)[0]).toMatchObject({
      path: "sheets/s1/settings",
      operation: "add",
      value: { process: "through cut", how: { kind: "by beam", kerf: 0.15 } },
    });
  });
});
