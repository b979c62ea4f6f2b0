/** Where several pictures of one thing differ most: the place to look at before one of them is chosen. */

const LEAST = 4; // of 255, that a pixel must differ by to count

export interface Window {
  left: number;
  top: number;
  side: number;
}

/**
 * The square of `side` pixels within which the grey pictures, all `width` pixels wide and row by row, differ most;
 * null where they are alike everywhere.
 */
export function mostDiffering(
  pictures: readonly ArrayLike<number>[],
  width: number,
  side: number,
): Window | null {
  const [first, ...others] = pictures;
  if (!first || !others.length) return null;
  const height = first.length / width;
  const columns = width + 1;
  const sums = new Float64Array(columns * (height + 1)); // of all that is left of and above a pixel
  for (let y = 0; y < height; y += 1)
    for (let x = 0; x < width; x += 1) {
      const k = y * width + x;
      let low = first[k] as number;
      let high = low;
      for (const other of others) {
        low = Math.min(low, other[k] as number);
        high = Math.max(high, other[k] as number);
      }
      const corner = y * columns + x;
      const differs = high - low >= LEAST ? high - low : 0;
      sums[corner + columns + 1] =
        differs +
        (sums[corner + columns] as number) +
        (sums[corner + 1] as number) -
        (sums[corner] as number);
    }
  const at = (x: number, y: number) => sums[y * columns + x] as number;
  const across = Math.min(side, width);
  const down = Math.min(side, height);
  let best: Window | null = null;
  let most = 0;
  for (let top = 0; top <= height - down; top += 1)
    for (let left = 0; left <= width - across; left += 1) {
      const sum =
        at(left + across, top + down) - at(left, top + down) - at(left + across, top) + at(left, top);
      if (sum > most) {
        most = sum;
        best = { left, top, side };
      }
    }
  return best;
}
