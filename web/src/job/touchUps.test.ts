import { describe, expect, it } from "vitest";
import type { TracedShape } from "./touchUps";
import { clickWords, touchUpChange } from "./touchUps";

const shape = (dropped: string): TracedShape => ({
  d: "M0 0L1 0L1 1Z",
  colour: "#102030",
  rgb: [16, 32, 48],
  x: 0.25,
  y: 0.5,
  size: 0.1,
  dropped,
  nodes: 3,
  place: [25, 50],
  stroke: null,
  holes: 0,
});
const touch = { id: "t1", kind: "drop" as const, x: 0.251, y: 0.5 };

describe("a click on a region", () => {
  it("drops it, anchored where it lies", () => {
    const change = touchUpChange("a1", shape(""), []);
    expect(change).toMatchObject({ path: "artworks/a1/touch_ups", operation: "add" });
    expect(change.value).toMatchObject({ kind: "drop", x: 0.25, y: 0.5, colour: [16, 32, 48], size: 0.1 });
    expect(clickWords(shape(""))).toBe("drop it");
  });

  it("takes its own drop back", () => {
    expect(touchUpChange("a1", shape("hand"), [touch])).toEqual({
      path: "artworks/a1/touch_ups/t1",
      operation: "remove",
    });
    expect(clickWords(shape("hand"))).toBe("bring it back");
  });

  it("keeps a speck, and takes that back again", () => {
    expect(touchUpChange("a1", shape("small"), []).value).toMatchObject({ kind: "keep" });
    const kept = { ...touch, kind: "keep" as const };
    expect(touchUpChange("a1", shape(""), [kept])).toMatchObject({ operation: "remove" });
  });

  it("does not take back a touch-up of another place", () => {
    const far = { ...touch, x: 0.9 };
    expect(touchUpChange("a1", shape("hand"), [far])).toMatchObject({ operation: "add" });
  });

  it("gives every touch-up an id of its own", () => {
    const ids = Array.from(
      { length: 50 },
      () => (touchUpChange("a1", shape(""), []).value as { id: string }).id,
    );
    expect(new Set(ids).size).toBe(50);
  });
});
