import { useMemo, useRef, useState } from "react";
import { flushSync } from "react-dom";
import type { Change, Work } from "../api/client";
import type { Box, Place } from "../engine/camera";
import { pathTester } from "../engine/hit";
import {
  type Copy,
  copiesOf,
  type Move,
  mapped,
  movedPlace,
  shiftsOf,
  turned,
  turnOf,
  unmapped,
} from "./copies";
import { outlinesOf } from "./copyOutlines";
import { type Ghost, ghostsAt, lyingOf, MOST_CHECKED, neighbours, snapped } from "./neighbours";
import { parsed } from "./parsed";
import type { Placed, Ticket } from "./ticket";
import { useSentSheets } from "./useSentSheets";

const STILL: Move = { dx: 0, dy: 0, turn: 0 };
const SETTLES = 800;

/**
 * Copies of sheets in the hand: chosen, dragged, turned, locked, thrown off, put at a typed place. An edit is seen and
 * built upon at once, before the service has answered. ``keeping``: it has not answered all of them yet.
 */
export function useCopies(
  kept: Ticket | undefined,
  work: Work | undefined,
  keeping: boolean,
  onChanges: (changes: Change[]) => void,
) {
  const { ticket, keep: send } = useSentSheets(kept, work, keeping, onChanges);
  const [chosen, setChosen] = useState<ReadonlySet<string>>(new Set());
  const [move, setMove] = useState<Move>(STILL);
  const [frame, setFrame] = useState<Box | null>(null);
  const nudges = useRef(0);
  const inside = useMemo(pathTester, []);
  const copies = useMemo(() => (ticket && work ? copiesOf(ticket, work) : []), [ticket, work]);
  const outlines = useMemo(() => outlinesOf(work), [work]);
  const held = useMemo(() => copies.filter((copy) => chosen.has(copy.key) && !copy.locked), [copies, chosen]);
  const lying = useMemo(() => lyingOf(copies, outlines), [copies, outlines]);
  const stays = (copy: Copy) => !chosen.has(copy.key) || copy.locked;

  const under = (place: Place): Copy | null =>
    lying
      .near([place.x, place.y, place.x, place.y])
      .reverse()
      .find(({ thing: { copy, outline } }) => {
        const own = unmapped(copy.at, place);
        return inside(parsed(outline.d).path, own.x, own.y);
      })?.thing.copy ?? null;

  const spacingOf = (sheet: string) => work?.sheets[sheet]?.spacing ?? 0;
  /** As the service tells copies that lie too near to each other. */
  const isNear = ({ apart, copy }: Ghost) =>
    apart !== null && apart < (work?.sheets[copy.sheet]?.least_apart ?? 0);

  // biome-ignore lint/correctness/useExhaustiveDependencies: all it uses follows from these
  const ghosts = useMemo(() => {
    const made = ghostsAt(held, outlines, move);
    if (made.length > MOST_CHECKED) return made;
    const found = neighbours(made, lying, stays, made[0] ? spacingOf(made[0].copy.sheet) : 0);
    return made.map((ghost, k) => ({ ...ghost, apart: found[k]?.apart ?? null }));
  }, [move, chosen, copies, outlines]);

  const keep = (edit: (one: Placed, copy: Copy) => Placed | null, which = held) => send(edit, which);
  const isMirrored = (sheet: string) => work?.sheets[sheet]?.mirrored ?? false;
  const middleOf = (layer: string) => outlines.get(layer)?.middle ?? { x: 0, y: 0 };
  const settle = (by: Move) => {
    window.clearTimeout(nudges.current);
    nudges.current = 0;
    setMove(STILL);
    if (by.dx || by.dy || by.turn)
      keep((one, copy) => movedPlace(one, by, middleOf(copy.layer), isMirrored(copy.sheet)));
  };
  /** What keys have moved comes to rest before something else is done with it. */
  const land = () => {
    if (nudges.current) flushSync(() => settle(move));
    return live.current;
  };
  /** By keys: presses in quick succession are one change. */
  const nudge = (by: Partial<Move>) => {
    if (!held.length) return false;
    const next = {
      dx: move.dx + (by.dx ?? 0),
      dy: move.dy + (by.dy ?? 0),
      turn: move.turn + (by.turn ?? 0),
    };
    setMove(next);
    window.clearTimeout(nudges.current);
    nudges.current = window.setTimeout(() => live.current.settle(next), SETTLES);
    return true;
  };

  /** A stroke over the table: on a copy it drags what is chosen, beside all copies it chooses what it surrounds. */
  const grabbed = useRef<"copies" | "frame" | null>(null);
  const stroke = (points: readonly Place[], done: boolean, adds: boolean) => {
    const [start, end] = [points[0], points[points.length - 1]];
    if (!start || !end) {
      grabbed.current = null;
      setFrame(null);
      setMove(STILL);
      return;
    }
    if (points.length === 1 && !done) {
      const copy = land().under(start);
      grabbed.current = copy ? "copies" : "frame";
      if (copy && !chosen.has(copy.key)) setChosen(new Set(adds ? [...chosen, copy.key] : [copy.key]));
      else if (copy && adds) setChosen(new Set([...chosen].filter((key) => key !== copy.key)));
      else if (!copy && !adds) setChosen(new Set());
      return;
    }
    if (grabbed.current === "copies") {
      const by = { dx: end.x - start.x, dy: end.y - start.y, turn: 0 };
      const next =
        points.length > 2
          ? snapped(by, held, outlines, lying, stays, spacingOf(held[0]?.sheet ?? ""))
          : STILL;
      if (done) settle(next);
      else setMove(next);
    } else if (grabbed.current === "frame") {
      const box: Box = [
        Math.min(start.x, end.x),
        Math.min(start.y, end.y),
        Math.max(start.x, end.x),
        Math.max(start.y, end.y),
      ];
      setFrame(done ? null : box);
      const found = lying.near(box).filter((one) => within(one.thing.box, box));
      if (points.length > 2) setChosen(new Set(found.map((one) => one.thing.copy.key)));
    }
    if (done) grabbed.current = null;
  };

  const step = (way: number) => {
    if (!copies.length) return null;
    const at = copies.findIndex((copy) => chosen.has(copy.key));
    const next = copies[(at + way + copies.length) % copies.length] as Copy;
    setChosen(new Set([next.key]));
    const outline = outlines.get(next.layer);
    return outline ? mapped(next.at, outline.middle) : null;
  };

  // the copy in hand, when there is one alone, as it lies before it is moved
  const alone = held.length === 1 ? held[0] : undefined;
  const shift = ticket && work && alone ? (shiftsOf(ticket, work).get(alone.sheet) ?? 0) : 0;
  const place = alone ? standing(alone.at, middleOf(alone.layer), shift) : null;
  const toward = (to: Partial<Standing>): Move =>
    place
      ? {
          dx: to.x === undefined ? move.dx : to.x - place.x,
          dy: to.y === undefined ? move.dy : to.y - place.y,
          turn: to.turn === undefined ? move.turn : to.turn - place.turn,
        }
      : STILL;

  const live = useRef({ settle, under, keep });
  live.current = { settle, under, keep };
  return {
    copies,
    outlineOf: (layer: string) => outlines.get(layer),
    chosen: copies.filter((copy) => chosen.has(copy.key)),
    ghosts,
    frame,
    stroke,
    nudge,
    /** The next or the one before in hand; where its middle lies. */
    step,
    choose: (keys: readonly string[]) => setChosen(new Set(keys)),
    throwOff: () => {
      if (!held.length) return;
      land().keep(() => null);
      setChosen(new Set()); // the numbers of those that stay move up
    },
    lock: () => {
      const all = copies.filter((copy) => chosen.has(copy.key));
      const locked = all.some((copy) => !copy.locked);
      land().keep((one) => ({ ...one, locked }), all);
    },
    /** Where the copy in hand rests, and where it would go, when it is one alone. */
    place,
    goes: place && { x: place.x + move.dx, y: place.y + move.dy, turn: turned(place.turn + move.turn) },
    /** Show the copy in hand at a typed place; null where it was. */
    tryAt: (to: Partial<Standing> | null) => {
      window.clearTimeout(nudges.current);
      nudges.current = 0;
      setMove(to ? toward(to) : STILL);
    },
    putAt: (to: Partial<Standing>) => settle(toward(to)),
    /** The nearest that a copy in hand comes to another, if that is less than the sheet's spacing. */
    tooNear: ghosts
      .filter(isNear)
      .reduce<number | null>(
        (least, { apart }) => Math.min(least ?? (apart as number), apart as number),
        null,
      ),
    isNear,
    spacingOf,
  };
}

export type Copies = ReturnType<typeof useCopies>;

/** Where the middle of a copy lies, mm from its sheet's left and top, and how it is turned, degrees. */
export interface Standing {
  readonly x: number;
  readonly y: number;
  readonly turn: number;
}

function standing(at: Copy["at"], middle: Place, shift: number): Standing {
  const { x, y } = mapped(at, middle);
  return { x: x - shift, y, turn: turnOf(at) };
}

function within(one: Box, other: Box): boolean {
  return one[0] >= other[0] && one[1] >= other[1] && one[2] <= other[2] && one[3] <= other[3];
}
