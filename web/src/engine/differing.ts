/** Where several pictures of one thing differ most: the place to look at before one of them is chosen. */

const LEAST = 4; // of 255, that a pixel must differ by to count
const SEEN = 40; // levels along one side of the window, from which two pictures are told apart at a glance

const HARDLY = 1e-4; // that a pair counts beyond that: where all are told apart, the place with more to see

export interface Window {
  left: number;
  top: number;
  side: number;
}

/**
 * The square of `side` pixels within which the most pairs of the grey pictures, all `width` pixels wide and row by row,
 * differ to be seen; null where they are alike everywhere. Pairs that differ more count no more: one picture that is
 * another altogether hides nothing of the others.
 */
export function mostDiffering(
  pictures: readonly ArrayLike<number>[],
  width: number,
  side: number,
): Window | null {
  const [first] = pictures;
  if (!first || pictures.length < 2) return null;
  const height = first.length / width;
  const across = Math.max(1, width - side + 1);
  const down = Math.max(1, height - side + 1);
  const scores = new Float64Array(across * down);
  for (let a = 0; a < pictures.length; a += 1)
    for (let b = a + 1; b < pictures.length; b += 1) {
      const sums = summed(pictures[a] ?? first, pictures[b] ?? first, width, height);
      const at = (x: number, y: number) =>
        sums[Math.min(y, height) * (width + 1) + Math.min(x, width)] as number;
      for (let y = 0; y < down; y += 1)
        for (let x = 0; x < across; x += 1) {
          const sum = at(x + side, y + side) - at(x, y + side) - at(x + side, y) + at(x, y);
          const k = y * across + x;
          scores[k] = (scores[k] as number) + Math.min(sum, SEEN * side) + HARDLY * sum;
        }
    }
  let best = 0;
  for (let k = 1; k < scores.length; k += 1) if ((scores[k] as number) > (scores[best] as number)) best = k;
  if (!scores[best]) return null;
  return { left: best % across, top: Math.floor(best / across), side };
}

/** How much two pictures differ in all that is left of and above each pixel, (height + 1, width + 1). */
function summed(one: ArrayLike<number>, other: ArrayLike<number>, width: number, height: number) {
  const columns = width + 1;
  const sums = new Float64Array(columns * (height + 1));
  for (let y = 0; y < height; y += 1)
    for (let x = 0; x < width; x += 1) {
      const k = y * width + x;
      const apart = Math.abs((one[k] as number) - (other[k] as number));
      const corner = y * columns + x;
      sums[corner + columns + 1] =
        (apart >= LEAST ? apart : 0) +
        (sums[corner + columns] as number) +
        (sums[corner + 1] as number) -
        (sums[corner] as number);
    }
  return sums;
}
