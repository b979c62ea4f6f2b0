import { describe, expect, it } from "vitest";
import type { Work } from "../api/client";
import { toolChanges, toolsAt } from "./tools";
import { alikeChange, type TracedShape } from "./touchUps";

type View = Work["artworks"][string];
const view = { anchor: [0.01, 0, 0, 0.02, 0, 0], width: 100 } as unknown as View;
const shape = { rgb: [1, 2, 3], x: 0.2, y: 0.4, size: 0.1, dropped: "" } as unknown as TracedShape;
const tool = (station: "artwork" | "clean" | "trace", key: string) => {
  const found = toolsAt(station).find((one) => one.key === key);
  if (!found) throw new Error(key);
  return found;
};
const A = { x: 10, y: 10 };
const B = { x: 60, y: 40 };

describe("a finished gesture", () => {
  it("crops to a box drawn either way", () => {
    const change = toolChanges(tool("artwork", "crop"), "artwork", "a1", view, [B, A], 2, null)?.[0];
    expect(change?.value).toEqual({ left: 0.1, top: 0.2, right: 0.4, bottom: 0.2 });
    expect(toolChanges(tool("artwork", "crop"), "artwork", "a1", view, [A, A], 2, null)).toBeNull();
  });

  it("turns the background to the way it needs", () => {
    const changes = toolChanges(tool("clean", "subject"), "clean", "a1", view, [A, B], 3, null);
    expect(changes?.map((one) => one.path)).toEqual([
      "artworks/a1/clean/background",
      "artworks/a1/clean/strokes",
    ]);
    expect(changes?.[1]?.value).toMatchObject({ width: 3, points: [0.1, 0.2, 0.6, 0.8] });
    expect(toolChanges(tool("clean", "rub out"), "clean", "a1", view, [A, B], 3, null)).toHaveLength(1);
  });

  it("anchors a touch-up where it was made", () => {
    const line = toolChanges(tool("trace", "straighten"), "trace", "a1", view, [A, B], 1, null)?.[0];
    expect(line?.value).toMatchObject({ kind: "straighten", x: 0.1, y: 0.2, x2: 0.6, y2: 0.8 });
    const round = toolChanges(tool("trace", "circle"), "trace", "a1", view, [A], 1, shape)?.[0];
    expect(round?.value).toMatchObject({ kind: "circle", x: 0.2, y: 0.4, colour: [1, 2, 3], size: 0.1 });
    expect(toolChanges(tool("trace", "circle"), "trace", "a1", view, [A], 1, null)).toBeNull();
    expect(alikeChange("a1", shape, "of this size").value).toMatchObject({
      kind: "drop",
      alike: "of this size",
    });
  });
});
