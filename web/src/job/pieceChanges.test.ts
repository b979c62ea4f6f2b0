import { describe, expect, it } from "vitest";
import {
  addedElement,
  addedLine,
  colourChange,
  type LayerView,
  moved,
  onPiece,
  pieceToolChanges,
  tieMarks,
} from "./pieceChanges";
import type { Layer, Line, Piece } from "./ticket";

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
  goods: { kind: "nothing" },
} as unknown as Piece;
const view = {
  frame: [10, 20, 110, 70],
  lines: [{ id: "k1", ties: [[10, 45]] }],
  bridges: [[10, 20, 60, 45]],
  holes: [],
} as unknown as LayerView;

describe("lines", () => {
  it("move one place and stop at the ends", () => {
    const [first, second, last] = layer.lines as [Line, Line, Line];
    expect(moved("k", layer.lines, first, -1)).toBeNull();
    expect(moved("k", layer.lines, last, 1)).toBeNull();
    expect(moved("k", layer.lines, second, -1)?.before).toBe("k1");
    expect(moved("k", layer.lines, first, 1)?.before).toBe("k3");
    expect(moved("k", layer.lines, second, 1)?.before).toBeUndefined();
  });
});

describe("pieces", () => {
  it("get a colour by a click that a second takes back", () => {
    expect(colourChange("x", [], "#112233")).toMatchObject({ path: "x/colours", operation: "add" });
    const chosen = [{ id: "c1", colour: "#112233" }];
    expect(colourChange("x", chosen, "#112233")).toEqual({ path: "x/colours/c1", operation: "remove" });
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
});

describe("what is done by hand at Lines", () => {
  it("is said in fractions of the frame", () => {
    expect(onPiece([10, 20, 110, 70], { x: 60, y: 45 })).toEqual({ x: 0.5, y: 0.5 });
  });

  it("keeps the ties there are when one is added", () => {
    const changes = pieceToolChanges("tie", piece, layer, view, undefined, [{ x: 110, y: 45 }]);
    expect(changes?.[0]?.value).toMatchObject([
      { x: 0, y: 0.5 },
      { x: 1, y: 0.5 },
    ]);
    expect(tieMarks(line("k9"), view)).toEqual([]);
  });

  it("adds bridges to a stencil, and moves the hanger", () => {
    const two = [
      { x: 10, y: 20 },
      { x: 110, y: 70 },
    ];
    const bare = { ...layer, lines: [] };
    const bridge = pieceToolChanges("bridge", piece, layer, view, undefined, two);
    expect(bridge?.[0]?.value).toBe("a stencil");
    expect(bridge?.[1]?.value).toHaveLength(2);
    const hanger = pieceToolChanges("hanger", piece, layer, view, undefined, two);
    expect(hanger?.map((change) => change.path)).toEqual(["pieces/p1/hanger/kind", "pieces/p1/hanger/place"]);
    expect(pieceToolChanges("nothing", piece, layer, view, undefined, two)).toBeNull();
    expect(pieceToolChanges("tie", piece, bare, view, undefined, two)).toBeNull();
  });
});
