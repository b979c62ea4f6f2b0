import { beforeAll, describe, expect, it, vi } from "vitest";
import type { Work } from "../api/client";
import type { Item } from "../engine/scene";
import { sceneOf } from "./scenes";
import type { Ticket } from "./ticket";

const layer = (id: string) => ({
  id,
  prints: "nothing",
  name: id,
  lines: [],
  shows: "everything",
  colours: [],
});
const ticket = {
  pieces: [{ id: "p1", layers: [layer("l1"), layer("l2")] }],
  sheets: [
    {
      id: "s1",
      holds: [{ id: "h", layer: "l1" }],
      stock: { name: "film", colour: "#fff", mirrored: false, liner: true },
    },
    {
      id: "s2",
      holds: [{ id: "h", layer: "l2" }],
      stock: { name: "film", colour: "#fff", mirrored: true, liner: true },
    },
  ],
} as unknown as Ticket;
const lines = [{ id: "k", process: "kiss cut", d: "M0 0L10 0L10 5Z", dashes: 0, slices: [] }];
const drawn = { lines, prints: [], shapes: [], marks: "M0 0L2 0L1 2Z", marks_process: "kiss cut" };
const sheet = (id: string, mirrored: boolean) => ({
  name: `sheet of ${id}`,
  width: 100,
  height: 50,
  mirrored,
  colour: "#fff",
  placements: [
    {
      layer: id,
      matrices: mirrored
        ? [
            [-1, 0, 0, 1, 95, 5],
            [-1, 0, 0, 1, 80, 5],
          ]
        : [
            [1, 0, 0, 1, 5, 5],
            [1, 0, 0, 1, 20, 5],
          ],
    },
  ],
  marks: [],
  mark_diameter: 6,
  mark_paths: "",
  caption: "",
  own: [],
  angles: [],
  lies: "",
  grain: [],
});
const work = {
  layers: { l1: drawn, l2: drawn },
  laid: {},
  sheets: { s1: sheet("l1", false), s2: sheet("l2", true) },
} as unknown as Work;
const looks = { fade: 1, artworks: [], piece: "", layer: "" };

describe("sheets side by side", () => {
  beforeAll(() => vi.stubGlobal("Path2D", class {}));
  const items = (): Item[] => [...sceneOf("sheet", "made", ticket, work, () => null, looks).items];

  it("hold their own copies, as their places say, mirrored ones mirrored", () => {
    const [first, second] = items().filter((item) => item.kind === "copies");
    expect(first?.places.map((at) => at[4])).toEqual([5, 20]);
    expect(second?.places).toEqual([
      [-1, 0, 0, 1, 140 + 95, 5],
      [-1, 0, 0, 1, 140 + 80, 5],
    ]);
  });

  it("show a hatch in a turned copy as it is burnt there", () => {
    const s1 = { ...sheet("l1", false), grain: [{ layer: "l1", line: "k", d: "M0 0L7 7", copies: [1] }] };
    const turned = { ...work, sheets: { ...work.sheets, s1 } } as unknown as Work;
    const copies = sceneOf("sheet", "made", ticket, turned, () => null, looks).items.flatMap((item) =>
      item.kind === "copies" ? [item] : [],
    );
    const boxes = copies.slice(0, 2).map((one) => (one.items[0] as Extract<Item, { kind: "path" }>).box);
    expect(copies.slice(0, 2).map((one) => one.places.map((at) => at[4]))).toEqual([[5], [20]]);
    expect(boxes).toEqual([
      [0, 0, 10, 5],
      [0, 0, 7, 7],
    ]);
  });

  it("say which they are, and show the alignment marks that their files hold", () => {
    expect(items().flatMap((item) => (item.kind === "label" ? [item.text] : []))).toEqual([
      "sheet of l1",
      "sheet of l2",
    ]);
    const copies = items().find((item) => item.kind === "copies");
    expect(copies?.items).toHaveLength(2);
  });
});
