import { describe, expect, it } from "vitest";
import {
  addedElement,
  addedLayer,
  addedLine,
  colourChange,
  copiedLine,
  copiedPiece,
  holeChange,
  type LayerView,
  movedLine,
  onPiece,
  pieceToolChanges,
  regionChange,
  removedPiece,
  splitByColour,
  tieMarks,
  withNewIds,
} from "./pieceChanges";
import type { Layer, Line, Machine, Piece, Sheet, Stock } from "./ticket";

const offset = { holes: "kept", smallest_hole: 4, hole_marks: [] };
const through = { kind: "through cut", tie_marks: [], kerf_marks: [] };
const line = (id: string, more: object = {}) =>
  ({ id, process: through, source: { kind: "the outer shape" }, offset, ...more }) as unknown as Line;
const layer: Layer = {
  id: "l1",
  overlap: 0,
  regions: [],
  name: "",
  prints: { kind: "nothing" },
  shows: "everything",
  colours: [],
  lines: [
    line("k1"),
    line("k2", { process: { kind: "kiss cut" } }),
    line("k3", { source: { kind: "fold lines", folds: [] } }),
  ],
};
const piece = {
  id: "p1",
  name: "kite",
  quantity: 5,
  elements: [
    { id: "e1", content: { kind: "artwork", artwork: "a1" }, x: 0, y: 0 },
    { id: "e2", content: { kind: "text", words: "Hi", font: "sans" }, x: 1, y: 2 },
  ],
  layers: [layer],
  hanger: { kind: "no hanger", place: [] },
  stencil: { kind: "a piece", bridges: [] },
  thing: "nothing",
  thing_colour: "#2d4a63",
  thing_down: null,
} as unknown as Piece;
const sheets = [
  {
    id: "s1",
    holds: [{ id: "h1", layer: "l1" }],
    behind: "",
    arrangement: "a grid",
    spacing: 2,
    placed: [],
    stock: { liner: true, name: "vinyl", colour: "#fff", mirrored: false } as Stock,
    machine: { kind: "a knife" } as Machine,
    settings: [],
  },
] as unknown as Sheet[];
const view = {
  frame: [10, 20, 110, 70],
  lines: [{ id: "k1", ties: [[10, 45]] }],
  bridges: [[10, 20, 60, 45]],
  holes: [],
} as unknown as LayerView;

describe("lines", () => {
  it("are copied after themselves with ids of their own", () => {
    const marked = line("k1", { process: { ...through, tie_marks: [{ id: "t1", x: 0, y: 0 }] } });
    const own = { ...layer, lines: [marked, line("k2")] };
    const change = copiedLine(piece, own, marked);
    const copy = change.value as Line;
    expect(change.before).toBe("k2");
    expect(copy.id).not.toBe("k1");
    expect(copy.process).toMatchObject({ tie_marks: [{ x: 0, y: 0 }] });
    expect(copy.process).not.toMatchObject({ tie_marks: [{ id: "t1" }] });
  });

  it("move one place and stop at the ends", () => {
    const [first, second, last] = layer.lines as [Line, Line, Line];
    expect(movedLine(piece, layer, first, -1)).toBeNull();
    expect(movedLine(piece, layer, last, 1)).toBeNull();
    expect(movedLine(piece, layer, second, -1)?.before).toBe("k1");
    expect(movedLine(piece, layer, first, 1)?.before).toBe("k3");
    expect(movedLine(piece, layer, second, 1)?.before).toBeUndefined();
  });
});

describe("pieces", () => {
  it("are copied whole, sheets too, and what names an item names its copy", () => {
    const followed = line("k2", { source: { kind: "another line", of: "k1" } });
    const own = { ...piece, layers: [{ ...layer, lines: [line("k1"), followed] }] };
    const { id, changes } = copiedPiece(own, sheets);
    const copy = changes[0]?.value as Piece;
    const lines = copy.layers[0]?.lines ?? [];
    expect(copy.id).toBe(id);
    expect(lines[1]?.source).toEqual({ kind: "another line", of: lines[0]?.id });
    expect(changes[1]?.value).toMatchObject({ holds: [{ layer: copy.layers[0]?.id }] });
    expect(copy.elements[0]?.content).toMatchObject({ artwork: "a1" });
  });

  it("go with their sheets", () => {
    const paths = removedPiece(piece, sheets).map((change) => change.path);
    expect(paths).toEqual(["sheets/s1", "pieces/p1"]);
  });

  it("are split by colour into layers with a sheet each", () => {
    const changes = splitByColour(piece, ["#112233", "#445566", "#778899"], sheets);
    expect(changes.filter((change) => change.path === "pieces/p1/layers")).toHaveLength(2);
    expect(changes.filter((change) => change.path === "sheets")).toHaveLength(2);
    expect(splitByColour(piece, ["#112233"], sheets)).toEqual([]);
  });

  it("get one more layer, and a colour by a click that a second takes back", () => {
    const added = addedLayer(piece, sheets, ["#112233", "#445566"]);
    expect(added.map((change) => change.path)).toEqual(["pieces/p1/layers", "sheets"]);
    expect(added[0]?.value).toMatchObject({ shows: "chosen colours", colours: [{ colour: "#445566" }] });
    expect(addedLayer(piece, sheets, ["#112233"])[0]?.value).toMatchObject({ shows: "chosen regions" });
    expect(addedLayer(piece, [], [])).toEqual([]);
    expect(colourChange("x", [], "#112233")).toMatchObject({ path: "x/colours", operation: "add" });
    const chosen = [{ id: "c1", colour: "#112233" }];
    expect(colourChange("x", chosen, "#112233")).toEqual({ path: "x/colours/c1", operation: "remove" });
  });

  it("get a region by a click that a second in the same region takes back", () => {
    const at = { x: 0.25, y: 0.5 };
    const added = regionChange("x", [], at, () => true);
    expect(added).toMatchObject({ path: "x/regions", operation: "add", value: at });
    const chosen = [{ id: "r1", x: 0.3, y: 0.5 }];
    expect(regionChange("x", chosen, at, () => true)).toEqual({ path: "x/regions/r1", operation: "remove" });
    expect(regionChange("x", chosen, at, () => false)).toMatchObject({ operation: "add" });
  });

  it("take lines and elements, each with an id of its own", () => {
    const words = { id: "", content: { kind: "text" } };
    const ids = [
      addedElement(piece, words),
      addedElement(piece, words),
      addedLine(piece, layer, line("")),
    ].map((change) => (change.value as { id: string }).id);
    expect(new Set(ids.filter(Boolean)).size).toBe(3);
    expect(addedElement(piece, words)).toMatchObject({
      path: "pieces/p1/elements",
      value: { content: words.content },
    });
  });

  it("keep what is no id when copied", () => {
    expect(withNewIds({ id: "x", of: "elsewhere", list: [1, 2] })).toMatchObject({
      of: "elsewhere",
      list: [1, 2],
    });
  });
});

describe("what is done by hand at Lines", () => {
  it("is said in fractions of the frame", () => {
    expect(onPiece([10, 20, 110, 70], { x: 60, y: 45 })).toEqual({ x: 0.5, y: 0.5 });
  });

  it("turns a hole round and back", () => {
    const hole = { d: "", x: 0.3, y: 0.3, width: 6, line: "" };
    const own = layer.lines[0] as Line;
    const left = (mark: { x: number }) => mark.x < 0.5;
    expect(holeChange(piece, layer, own, hole, left).value).toMatchObject({ holes: "filled" });
    expect(holeChange(piece, layer, own, { ...hole, width: 3 }, left).value).toMatchObject({ holes: "kept" });
    const marks = [{ id: "h1", x: 0.45, y: 0.3, holes: "filled" }];
    const marked = line("k1", { offset: { ...offset, hole_marks: marks } });
    expect(holeChange(piece, layer, marked, hole, left)).toMatchObject({ operation: "remove" });
    expect(holeChange(piece, layer, marked, hole, () => false)).toMatchObject({ operation: "add" });
  });

  it("keeps the ties there are when one is added", () => {
    const changes = pieceToolChanges("tie", piece, layer, view, undefined, [{ x: 110, y: 45 }]);
    expect(changes?.[0]?.value).toMatchObject([
      { x: 0, y: 0.5 },
      { x: 1, y: 0.5 },
    ]);
    expect(tieMarks(line("k9"), view)).toEqual([]);
  });

  it("adds folds to the fold line there is, bridges to a stencil, and moves the hanger", () => {
    const two = [
      { x: 10, y: 20 },
      { x: 110, y: 70 },
    ];
    const fold = pieceToolChanges("fold", piece, layer, view, undefined, two);
    expect(fold?.[0]?.path).toBe("pieces/p1/layers/l1/lines/k3/source/folds");
    const bare = { ...layer, lines: [] };
    expect(pieceToolChanges("fold", piece, bare, view, undefined, two)?.[0]?.path).toBe(
      "pieces/p1/layers/l1/lines",
    );
    const bridge = pieceToolChanges("bridge", piece, layer, view, undefined, two);
    expect(bridge?.[0]?.value).toBe("a stencil");
    expect(bridge?.[1]?.value).toHaveLength(2);
    const hanger = pieceToolChanges("hanger", piece, layer, view, undefined, two);
    expect(hanger?.map((change) => change.path)).toEqual(["pieces/p1/hanger/kind", "pieces/p1/hanger/place"]);
    expect(pieceToolChanges("nothing", piece, layer, view, undefined, two)).toBeNull();
    expect(pieceToolChanges("tie", piece, bare, view, undefined, two)).toBeNull();
  });
});
