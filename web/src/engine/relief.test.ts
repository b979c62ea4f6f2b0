import { expect, test } from "vitest";
import { deepest, depthAt, middle, type Relief, section, shaded, unpacked } from "./relief";

/** A groove of 45° from top to bottom, 4 mm deep in its middle at 10 mm. */
function groove(): Relief {
  const [columns, rows, pitch] = [40, 10, 0.5];
  const depths = new Float32Array(columns * rows);
  for (let k = 0; k < depths.length; k++)
    depths[k] = Math.max(0, 4 - Math.abs(((k % columns) + 0.5) * pitch - 10));
  return { columns, rows, pitch, thick: 18, depths };
}

test("what the service packs is unpacked to the step", () => {
  const content = new ArrayBuffer(24 + 8);
  new Float32Array(content, 0, 6).set([2, 2, 0.5, 18, 0.01, 1]);
  new Uint16Array(content, 24).set([0, 100, 250, 1800]);
  const relief = unpacked(content);
  expect([relief.columns, relief.rows, relief.thick]).toEqual([2, 2, 18]);
  expect(relief.depths[2]).toBeCloseTo(2.5);
});

test("a slope that faces the light is lighter than the flat, one that turns away darker", () => {
  const relief = groove();
  const light = { angle: Math.PI, height: Math.PI / 4 };
  const tone = (x: number) =>
    shaded(relief, light, [200, 200, 200], null)[4 * (5 * 40 + Math.floor(x / 0.5))] as number;
  // it comes from the left: the right slope of the groove faces it
  expect(tone(12)).toBeGreaterThan(tone(2));
  expect(tone(8)).toBeLessThan(tone(2));
});

test("a section across a groove has its shape", () => {
  const relief = groove();
  const depths = section(relief, [5, 2], [15, 2], 101);
  expect(Math.max(...depths)).toBeCloseTo(3.75);
  expect(depths[0]).toBe(0);
  expect(depthAt(relief, 8.1, 2)).toBeCloseTo(2.1);
  expect(depthAt(relief, -1, 2)).toBe(0);
});

test("the deepest place is found, cuts through the board left aside", () => {
  const relief = groove();
  relief.depths[3] = 18.3;
  expect(deepest(relief).depth).toBeCloseTo(3.75);
});

test("the middle lies half way down what is carved", () => {
  const relief = groove();
  expect(middle(relief)).toBeCloseTo(2.5);
  relief.depths.fill(0, 0, 6 * relief.columns);
  expect(middle(relief)).toBeCloseTo(4);
  relief.depths.fill(0);
  expect(middle(relief)).toBeCloseTo(2.5);
});
