import { describe, expect, it } from "vitest";
import { along, clock, headAt, type Moves, moveAt, nextPath, unpackMoves } from "./moves";

/** A travel of 10 mm, a burn of 20 mm, and a half circle of radius 5 upward and back. */
function packed(): ArrayBuffer {
  const head = {
    count: 3,
    start: [0, 0],
    minutes: 0.1,
    beam: 0.1,
    width: 50,
    height: 50,
    tools: [],
    drops: [],
    bed: null,
    clamps: [],
  };
  const text = JSON.stringify(head);
  const first = new TextEncoder().encode(`${text}${" ".repeat((4 - ((text.length + 1) % 4)) % 4)}\n`);
  const floats = new Float32Array([10, 0, 30, 0, 20, 0, 0, 0, 0, 0, 25, 0, 0, 0, Math.PI, 0, 1, 3, 6]);
  const bytes = new Uint8Array(first.length + floats.byteLength + 9);
  bytes.set(first);
  bytes.set(new Uint8Array(floats.buffer), first.length);
  bytes.set([0, 2, 2, 0, 0, 0, 0, 255, 255], first.length + floats.byteLength);
  return bytes.buffer;
}

describe("moves", () => {
  const moves: Moves = unpackMoves(packed());
  it("unpacks every array", () => {
    expect([...moves.ends]).toEqual([10, 0, 30, 0, 20, 0]);
    expect([...moves.does]).toEqual([0, 2, 2]);
    expect([...moves.power]).toEqual([0, 255, 255]);
  });
  it("knows the move and the head at a time", () => {
    expect([
      moveAt(moves, 0),
      moveAt(moves, 1),
      moveAt(moves, 2.9),
      moveAt(moves, 3),
      moveAt(moves, 6),
    ]).toEqual([0, 1, 1, 2, 3]);
    expect(headAt(moves, 2)).toEqual([20, 0]);
    const [x, y] = along(moves, 2, 0.5);
    expect(x).toBeCloseTo(25);
    expect(y).toBeCloseTo(5);
    expect(headAt(moves, 99)).toEqual([20, 0]);
  });
  it("steps from path to path", () => {
    expect(nextPath(moves, 2, -1)).toBe(0);
    expect(nextPath(moves, 0, 1)).toBe(3);
  });
  it("says a time as a clock does", () => {
    expect([clock(5), clock(125), clock(3725)]).toEqual(["0:05", "2:05", "1:02:05"]);
  });
});
