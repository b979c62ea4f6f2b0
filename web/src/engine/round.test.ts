import { expect, test } from "vitest";
import { horizon, project, seenRings, silhouette, type Wall } from "./round";

const CUP: Wall = [
  [0, 40],
  [100, 30],
];
const FAR = { angle: Math.PI, distance: Number.POSITIVE_INFINITY, level: 50 };

test("what faces the eye lies in the middle, a quarter turn further at the edge", () => {
  const [x, y, seen] = project(CUP, FAR, Math.PI, 50);
  expect([x, y]).toEqual([0, 50]);
  expect(seen).toBe(true);
  expect(project(CUP, FAR, Math.PI * 1.5, 0)[0]).toBeCloseTo(40);
  expect(project(CUP, FAR, Math.PI / 2, 100)[0]).toBeCloseTo(-30);
  expect(project(CUP, FAR, 0.3, 50)[2]).toBe(false);
});

test("near by less of the wall is seen, and its sides look narrower", () => {
  const near = { ...FAR, distance: 100 };
  expect(horizon(40, near)).toBeCloseTo(Math.acos(0.4));
  const edge = project(CUP, near, near.angle + horizon(35, near), 50)[0];
  // the tangent from the eye, met where the front of the wall is
  expect(edge).toBeCloseTo((65 * 35) / Math.sqrt(100 ** 2 - 35 ** 2));
});

test("a square bent by the sine comes back a square", () => {
  const places: number[] = [];
  for (const [u, v] of [
    [-15, 40],
    [15, 40],
    [15, 60],
    [-15, 60],
  ] as const) {
    const radius = 40 - v / 10;
    places.push(Math.asin(u / radius), v);
  }
  const [ring] = seenRings(CUP, FAR, [places], Math.PI);
  [-15, 40, 15, 40, 15, 60, -15, 60].forEach((value, k) => {
    expect(ring?.[k]).toBeCloseTo(value);
  });
});

test("a ring behind the thing is not seen, a band all round is from each side", () => {
  expect(seenRings(CUP, FAR, [[-0.1, 40, 0.1, 40, 0.1, 60, -0.1, 60]], 0)).toEqual([]);
  const band: number[] = [];
  for (let k = 0; k <= 90; k++) band.push((k / 90) * 2 * Math.PI, 40);
  for (let k = 90; k >= 0; k--) band.push((k / 90) * 2 * Math.PI, 60);
  for (const angle of [0, 1, 3, 5]) {
    const seen = seenRings(CUP, { ...FAR, angle }, [band], 0).flatMap((ring) =>
      ring.filter((_, k) => k % 2 === 0),
    );
    expect(Math.min(...seen)).toBeCloseTo(-36, 0);
    expect(Math.max(...seen)).toBeCloseTo(36, 0);
  }
});

test("the outline is as wide as the wall", () => {
  const points = silhouette(CUP, FAR);
  expect(Math.max(...points.filter((_, k) => k % 2 === 0))).toBeCloseTo(40);
  expect(Math.max(...points.filter((_, k) => k % 2))).toBe(100);
});
