import { describe, expect, it } from "vitest";
import type { Work } from "../api/client";
import type { Matrix } from "../engine/scene";
import { copiesOf, handled, mapped, matrixOf, movedMatrix, movedPlace, placedOf } from "./copies";
import places from "./places.json"; // as the core maps them: see e2e/test_web_units.py
import type { Machine, Placed, Sheet, Stock, Ticket } from "./ticket";

const put: Placed[] = [0, 40, 90, 180, -135].flatMap((turn, k) =>
  (["as it is", "mirrored"] as const).map((flip) => ({
    id: `n${2 * k + (flip === "mirrored" ? 2 : 1)}`,
    layer: "l1",
    x: 30 + 7 * k,
    y: 20 + 3 * k,
    turn,
    flip,
    by: "hand" as const,
    locked: false,
  })),
);
const WIDTH = 200;
const laid = (matrices: Matrix[], mirrored: boolean) =>
  ({
    width: WIDTH,
    times: 3,
    mirrored,
    placements: [{ layer: "l1", matrices }],
    beyond: ["beyond"],
  }) as unknown as Work["sheets"][string];
const sheet = (arrangement: string, placed: Placed[]) =>
  ({
    id: "s1",
    holds: [{ id: "h1", layer: "l1" }],
    arrangement,
    behind: "",
    spacing: 2,
    placed,
    stock: { name: "film", colour: "#fff", mirrored: false, liner: true } as Stock,
    machine: { head: { kind: "a knife" } } as Machine,
    settings: [],
  }) as unknown as Sheet;

describe("copies of a sheet", () => {
  it("are kept as the places that lead to the maps they had, mirrored or not", () => {
    for (const { placed, plainly, mirrored } of places) {
      matrixOf(placed as Placed, null).forEach((value, k) => {
        expect(value).toBeCloseTo(plainly[k] as number, 8);
      });
      matrixOf(placed as Placed, WIDTH).forEach((value, k) => {
        expect(value).toBeCloseTo(mirrored[k] as number, 8);
      });
    }
    const plain = placedOf(
      sheet("a grid", []),
      laid(
        put.map((one) => matrixOf(one, null)),
        false,
      ),
    );
    const film = placedOf(
      sheet("a grid", []),
      laid(
        put.map((one) => matrixOf(one, WIDTH)),
        true,
      ),
    );
    for (const made of [plain, film])
      made.forEach((one, k) => {
        const wanted = matrixOf(put[k] as Placed, null);
        matrixOf(one, null).forEach((value, i) => {
          expect(value).toBeCloseTo(wanted[i] as number, 3);
        });
      });
  });

  it("go in the ticket where they go on the table, turned about their middles", () => {
    const middle = { x: 12, y: 5 };
    const by = { dx: 4, dy: -3, turn: 30 };
    for (const one of put)
      for (const mirrored of [false, true]) {
        const shown = (at: Placed) => matrixOf(at, mirrored ? WIDTH : null);
        const wanted = movedMatrix(shown(one), by, middle);
        const found = shown(movedPlace(one, by, middle, mirrored));
        for (const corner of [{ x: 0, y: 0 }, middle, { x: 40, y: 0 }]) {
          expect(mapped(found, corner).x).toBeCloseTo(mapped(wanted, corner).x, 2);
          expect(mapped(found, corner).y).toBeCloseTo(mapped(wanted, corner).y, 2);
        }
        const [was, is] = [mapped(shown(one), middle), mapped(found, middle)];
        expect([is.x - was.x, is.y - was.y].map((v) => Math.round(v * 100) / 100)).toEqual([4, -3]);
      }
  });

  it("make a sheet one that is laid by hand when a rule laid it before, with as many runs", () => {
    const changes = handled(
      sheet("a grid", []),
      laid(
        put.map((one) => matrixOf(one, null)),
        false,
      ),
      (placed) => placed.slice(1),
    );
    expect(changes.map(({ path, value }) => [path, Array.isArray(value) ? value.length : value])).toEqual([
      ["sheets/s1/placed", put.length - 1],
      ["sheets/s1/arrangement", "as placed"],
      ["sheets/s1/runs", 3],
    ]);
  });

  it("tell the few that change one by one, and many or others in their order as a list", () => {
    const tell = (edit: (placed: readonly Placed[]) => Placed[], placed = put) =>
      handled(sheet("as placed", placed), laid([], false), edit).map(({ path, operation }) => [
        path,
        operation,
      ]);
    const moved = { ...(put[1] as Placed), x: 99 };
    const added = { ...(put[0] as Placed), id: "n99" };
    expect(
      tell((placed) => [...placed.slice(1).map((one) => (one.id === moved.id ? moved : one)), added]),
    ).toEqual([
      [`sheets/s1/placed/${put[0]?.id}`, "remove"],
      [`sheets/s1/placed/${moved.id}`, "set"],
      ["sheets/s1/placed", "add"],
    ]);
    expect(tell((placed) => [...placed].reverse())).toEqual([["sheets/s1/placed", "set"]]);
    const many = Array.from({ length: 60 }, (_, k) => ({ ...(put[0] as Placed), id: `m${k}` }));
    expect(tell((placed) => placed.map((one) => ({ ...one, x: one.x + 1 })), many)).toEqual([
      ["sheets/s1/placed", "set"],
    ]);
    expect(tell((placed) => [...placed])).toEqual([]);
  });

  it("know their locks, what is beyond the edge, and stand beside each other sheet by sheet", () => {
    const locked = put.map((one, k) => ({ ...one, locked: k === 1, id: k === 2 ? "beyond" : one.id }));
    const ticket = {
      pieces: [],
      sheets: [sheet("as placed", locked), { ...sheet("a grid", []), id: "s2" }],
    } as unknown as Ticket;
    const both = laid(
      put.map((one) => matrixOf(one, null)),
      false,
    );
    const found = copiesOf(ticket, { pieces: [], sheets: { s1: both, s2: both } } as unknown as Work);
    expect(found.map((one) => one.locked).filter(Boolean).length).toBe(1);
    expect(found[1]?.locked).toBe(true);
    expect(found.map((one) => one.beyond).indexOf(true)).toBe(2);
    expect((found[put.length] as (typeof found)[0]).at[4] - (found[0] as (typeof found)[0]).at[4]).toBe(
      WIDTH + 40,
    );
  });
});
