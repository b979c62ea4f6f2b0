import { describe, expect, it } from "vitest";
import { copies, elsewhere } from "./elsewhere";
import type { Machine, Sheet, Stock, Ticket } from "./ticket";

const sheet = (id: string, ...layers: string[]) =>
  ({
    id,
    holds: layers.map((layer) => ({ id: `h-${layer}`, layer })),
    arrangement: "as placed",
    spacing: 2,
    behind: "",
    placed: layers.map((layer) => ({
      id: `p-${layer}`,
      layer,
      x: 0,
      y: 0,
      turn: 0,
      flip: "as it is",
      by: "hand",
      locked: false,
    })),
    stock: { name: "film", colour: "#fff", mirrored: false, liner: true } as Stock,
    machine: { head: { kind: "a knife" } } as Machine,
    settings: [],
  }) as unknown as Sheet;
const ticket = {
  pieces: [
    { id: "p1", name: "kite", layers: [{ id: "l1", name: "" }] },
    {
      id: "p2",
      name: "oars",
      layers: [
        { id: "l2", name: "navy" },
        { id: "l3", name: "teal" },
      ],
    },
  ],
  sheets: [sheet("s1", "l1"), sheet("s2", "l2", "l3")],
} as unknown as Ticket;
const [first] = ticket.sheets as [Sheet];

describe("sheets", () => {
  it("offer what lies on others, by the name of its copies", () => {
    expect(elsewhere(ticket, first)).toEqual([
      { layer: "l2", name: "oars, navy" },
      { layer: "l3", name: "oars, teal" },
    ]);
    expect(copies(ticket, "l1")).toBe("kite");
  });

  it("leave second sides behind their first", () => {
    const behind = { ...sheet("s3", "l3"), behind: "s2" };
    const both = { ...ticket, sheets: [first, sheet("s2", "l2"), behind] } as unknown as Ticket;
    expect(elsewhere(both, first).map((one) => one.layer)).toEqual(["l2"]);
  });
});
