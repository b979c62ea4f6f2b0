import { type Box, overlaps } from "./camera";

/** Things by where their boxes lie: those near a box are found without looking at all of them. */
export class Cells<T> {
  private readonly cells = new Map<string, number[]>();
  private readonly size: number;

  constructor(
    private readonly things: readonly T[],
    private readonly boxes: readonly Box[],
  ) {
    const sides = boxes.map(([left, top, right, bottom]) => Math.max(right - left, bottom - top));
    this.size = quantile(sides, 0.9) || Number.POSITIVE_INFINITY; // all in one cell where there is nothing to go by
    boxes.forEach((box, k) => {
      for (const key of this.under(box)) {
        const cell = this.cells.get(key);
        if (cell) cell.push(k);
        else this.cells.set(key, [k]);
      }
    });
  }

  /** Whatever's box meets another, in order. */
  near(box: Box): { thing: T; box: Box }[] {
    const found = new Set<number>();
    for (const key of this.under(box))
      for (const k of this.cells.get(key) ?? []) if (overlaps(box, this.boxes[k] as Box)) found.add(k);
    return [...found]
      .sort((a, b) => a - b)
      .map((k) => ({ thing: this.things[k] as T, box: this.boxes[k] as Box }));
  }

  private *under([left, top, right, bottom]: Box): Generator<string> {
    const cell = (at: number) => Math.floor(at / this.size);
    for (let column = cell(left); column <= cell(right); column++)
      for (let row = cell(top); row <= cell(bottom); row++) yield `${column},${row}`;
  }
}

/** The value that a share of some are no greater than; 0 of none. */
function quantile(values: readonly number[], share: number): number {
  const sorted = [...values].sort((a, b) => a - b);
  return sorted[Math.floor(share * (sorted.length - 1))] ?? 0;
}
