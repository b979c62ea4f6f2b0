import { type Apart, apartOf, type Outlined, outlined, overlap, type Rings } from "../engine/apart";
import type { Box } from "../engine/camera";
import { Cells } from "../engine/cells";
import { type Copy, type Move, mapped, mappedBox, movedMatrix } from "./copies";
import type { Outline } from "./copyOutlines";

/** mm from the sheet's spacing within which a moved copy takes that. */
const SNAPS = 2.5;
/** Copies that are held against their neighbours while they are moved. */
export const MOST_CHECKED = 30;

/** A copy in hand, where it would go, and how near it comes to another, if that is known. */
export interface Ghost {
  readonly copy: Copy;
  readonly outline: Outline;
  readonly at: Copy["at"];
  readonly apart: number | null;
}

interface Laid {
  readonly copy: Copy;
  readonly outline: Outline;
  /** Round its edge, where it lies. */
  readonly box: Box;
  /** All it fills there, once somebody asked. */
  fills?: Outlined;
}

/** All copies, found by what they fill. */
export type Lying = Cells<Laid>;

export function lyingOf(copies: readonly Copy[], outlines: ReadonlyMap<string, Outline>): Lying {
  const drawn = copies.flatMap((copy): Laid[] => {
    const outline = outlines.get(copy.layer);
    return outline ? [{ copy, outline, box: mappedBox(copy.at, outline.box) }] : [];
  });
  return new Cells(
    drawn,
    drawn.map(({ copy, outline }) => mappedBox(copy.at, outline.reach)),
  );
}

/** Copies where a move puts them. */
export function ghostsAt(held: readonly Copy[], outlines: ReadonlyMap<string, Outline>, by: Move): Ghost[] {
  return held.flatMap((copy) => {
    const outline = outlines.get(copy.layer);
    return outline ? [{ copy, outline, at: movedMatrix(copy.at, by, outline.middle), apart: null }] : [];
  });
}

/** Each ghost's nearest neighbour among the copies that stay, within a distance. */
export function neighbours(
  ghosts: readonly Ghost[],
  lying: Lying,
  stays: (copy: Copy) => boolean,
  within: number,
): (Apart | null)[] {
  return ghosts.map((ghost) => {
    const box = grown(mappedBox(ghost.at, ghost.outline.reach), within);
    const ours = outlined(mappedRings(ghost.at, ghost.outline.fills));
    let best: Apart | null = null;
    for (const { thing } of lying.near(box)) {
      const { copy: other, outline } = thing;
      if (other.sheet !== ghost.copy.sheet || !stays(other)) continue;
      thing.fills ??= outlined(mappedRings(other.at, outline.fills));
      const theirs = thing.fills;
      const apart = apartOf(ours, theirs, within);
      const found = overlap(ours, theirs) ? { ...apart, apart: 0 } : apart;
      if (!best || found.apart < best.apart) best = found;
    }
    return best;
  });
}

/** A move with its copies at the sheet's spacing from what they nearly touch. */
export function snapped(
  by: Move,
  held: readonly Copy[],
  outlines: ReadonlyMap<string, Outline>,
  lying: Lying,
  stays: (copy: Copy) => boolean,
  spacing: number,
): Move {
  if (held.length === 0 || held.length > MOST_CHECKED) return by;
  const [first] = neighbours(ghostsAt(held, outlines, by), lying, stays, spacing + SNAPS)
    .filter((one) => one !== null)
    .sort((a, b) => a.apart - b.apart);
  if (!first || first.apart < 1e-6 || Math.abs(first.apart - spacing) > SNAPS) return by;
  const share = (spacing - first.apart) / first.apart;
  return {
    ...by,
    dx: by.dx + (first.from.x - first.to.x) * share,
    dy: by.dy + (first.from.y - first.to.y) * share,
  };
}

function mappedRings(at: Copy["at"], rings: Rings): Rings {
  return rings.map((ring) => ring.map((place) => mapped(at, place)));
}

function grown([left, top, right, bottom]: Box, by: number): Box {
  return [left - by, top - by, right + by, bottom + by];
}
