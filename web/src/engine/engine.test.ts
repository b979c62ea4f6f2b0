import { describe, expect, it } from "vitest";
import { type Target, targetAt } from "./hit";
import { Latest } from "./latest";
import { pathFacts } from "./pathdata";
import { ticks } from "./ruler";

describe("path data", () => {
  it("counts the nodes of a closed path once", () => {
    const facts = pathFacts("M0 0L10 0C12 0 12 4 10 4L0 4Z");
    expect(facts.nodes).toHaveLength(4);
    expect(facts.handles).toHaveLength(2);
    expect(facts.box).toEqual([0, 0, 11.5, 4]);
  });

  it("takes two rings and a circle of two arcs", () => {
    const facts = pathFacts("M10 5A5 5 0 0 1 0 5A5 5 0 0 1 10 5ZM20 0L30 0L25 9Z");
    expect(facts.nodes).toHaveLength(5);
    expect(facts.box[0]).toBeLessThanOrEqual(0);
    expect(facts.box[2]).toBe(30);
  });

  it("keeps the box of a nearly straight arc small", () => {
    const [, top, , bottom] = pathFacts("M0 0A5000 5000 0 0 1 100 0").box;
    expect(bottom - top).toBeLessThan(1);
  });
});

describe("hit", () => {
  const target = (id: string, box: Target["box"], area: number): Target => ({
    id,
    box,
    area,
    path: id as unknown as Path2D,
  });

  it("takes the smallest under the place", () => {
    const targets = [target("big", [0, 0, 100, 100], 1e4), target("small", [40, 40, 60, 60], 400)];
    expect(targetAt(targets, { x: 50, y: 50 }, () => true)?.id).toBe("small");
    expect(targetAt(targets, { x: 10, y: 10 }, () => true)?.id).toBe("big");
    expect(targetAt(targets, { x: 50, y: 50 }, (path) => (path as unknown as string) === "big")?.id).toBe(
      "big",
    );
    expect(targetAt(targets, { x: 500, y: 50 }, () => true)).toBeNull();
  });
});

describe("ruler", () => {
  it.each([0.05, 0.5, 4, 80, 900])("is readable at scale %f", (scale) => {
    for (const unit of ["mm", "in"] as const) {
      const made = ticks({ scale, x: 13, y: 7 }, 13, 900, unit);
      const labelled = made.filter((tick) => tick.label);
      expect(labelled.length).toBeGreaterThan(1);
      expect(made.length).toBeLessThan(220);
      for (let i = 1; i < labelled.length; i += 1)
        expect((labelled[i]?.at ?? 0) - (labelled[i - 1]?.at ?? 0)).toBeGreaterThan(35);
    }
  });

  it("has its zero where the origin is", () => {
    expect(
      ticks({ scale: 4, x: 50, y: 0 }, 50, 400, "mm").find((tick) => tick.label === "0")?.at,
    ).toBeCloseTo(50);
  });
});

describe("latest", () => {
  it("asks one at a time and skips what was overtaken", async () => {
    const asked: number[] = [];
    const taken: number[] = [];
    const open: (() => void)[] = [];
    const latest = new Latest<number, number>(
      (question) => {
        asked.push(question);
        return new Promise((answer) => open.push(() => answer(question)));
      },
      (answer) => taken.push(answer),
      () => undefined,
    );
    for (let move = 0; move < 50; move += 1) latest.push(move);
    expect(asked).toEqual([0]);
    open.shift()?.();
    await new Promise((done) => setTimeout(done));
    expect(asked).toEqual([0, 49]);
    open.shift()?.();
    await new Promise((done) => setTimeout(done));
    expect(taken).toEqual([0, 49]);
  });

  it("drops answers after a cancel and goes on after an error", async () => {
    const taken: number[] = [];
    const failed: unknown[] = [];
    const latest = new Latest<number, number>(
      async (question) => {
        if (question === 2) throw new Error("no");
        return question;
      },
      (answer) => taken.push(answer),
      (error) => failed.push(error),
    );
    latest.push(1);
    latest.cancel();
    await new Promise((done) => setTimeout(done));
    latest.push(2);
    await new Promise((done) => setTimeout(done));
    latest.push(3);
    await new Promise((done) => setTimeout(done));
    expect(taken).toEqual([3]);
    expect(failed).toHaveLength(1);
  });
});
