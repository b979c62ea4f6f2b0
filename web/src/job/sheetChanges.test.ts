import { describe, expect, it } from "vitest";
import {
  broughtOnto,
  copies,
  elsewhere,
  givenOwnSheet,
  secondSide,
  withoutLayers,
  withoutSecondSide,
} from "./sheetChanges";
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
    machine: { kind: "a knife" } as Machine,
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
const [first, second] = ticket.sheets as [Sheet, Sheet];

describe("sheets", () => {
  it("offer what lies on others, by the name of its copies", () => {
    expect(elsewhere(ticket, first)).toEqual([
      { layer: "l2", name: "oars, navy" },
      { layer: "l3", name: "oars, teal" },
    ]);
    expect(copies(ticket, "l1")).toBe("kite");
  });

  it("take a layer over whole: a sheet left empty goes, another keeps the rest", () => {
    const [added, ...rest] = broughtOnto(ticket, second, "l1");
    expect(added).toMatchObject({ path: "sheets/s2/holds", operation: "add", value: { layer: "l1" } });
    expect(rest).toEqual([{ path: "sheets/s1", operation: "remove" }]);
    expect(broughtOnto(ticket, first, "l3").slice(1)).toEqual([
      { path: "sheets/s2/placed/p-l3", operation: "remove" },
      { path: "sheets/s2/holds/h-l3", operation: "remove" },
    ]);
  });

  it("give a layer a sheet like the one it shared, laid anew", () => {
    const [made, ...rest] = givenOwnSheet(second, "l2");
    expect(made).toMatchObject({ path: "sheets", operation: "add" });
    expect(made?.value).toMatchObject({ stock: second.stock, arrangement: "a grid", placed: [] });
    expect(made?.value).not.toMatchObject({ id: "s2" });
    expect(rest).toEqual(withoutLayers(second, new Set(["l2"])));
  });

  it("get a second side with a layer behind each piece, which goes with it again", () => {
    const made = secondSide(ticket, second);
    expect(made.map((one) => one.path)).toEqual(["pieces/p2/layers", "sheets"]);
    const layer = made[0]?.value as { id: string };
    const behind = made[1]?.value as Sheet;
    expect(behind).toMatchObject({ behind: "s2", holds: [{ layer: layer.id }], placed: [] });
    const both = {
      ...ticket,
      pieces: ticket.pieces.map((one) =>
        one.id === "p2" ? { ...one, layers: [...one.layers, layer] } : one,
      ),
      sheets: [...ticket.sheets, behind],
    } as unknown as Ticket;
    expect(elsewhere(both, first).map((one) => one.layer)).toEqual(["l2", "l3"]);
    expect(withoutSecondSide(both, behind).map((one) => one.path)).toEqual([
      `sheets/${behind.id}`,
      `pieces/p2/layers/${layer.id}`,
    ]);
  });
});
