import { type RefObject, useState } from "react";
import type { Place } from "../engine/camera";
import { type Inside, targetAt } from "../engine/hit";
import { useUnit } from "../ui/unit";
import type { MovesHandle } from "./MovesView";
import type { View, ViewKey } from "./stations";
import type { RegionTarget } from "./targets";
import { CHOOSE, type Tool } from "./tools";
import type { Copies } from "./useCopies";
import type { useHandTools } from "./useHandTools";
import type { useNodeEditing } from "./useNodeEditing";
import type { TableHandles } from "./useTable";

/** What keys on the table act upon. */
interface Keyed {
  readonly targets: readonly RegionTarget[];
  readonly inside: Inside;
  readonly pointed: string | null;
  readonly onPointed: (id: string | null) => void;
  readonly tools: ReturnType<typeof useHandTools>;
  readonly editing: ReturnType<typeof useNodeEditing>;
  /** Copies that can be taken in hand; null where there are none. */
  readonly hand: Copies | null;
  readonly views: readonly View[];
  readonly onView: (view: ViewKey) => void;
  /** The moves that are being played, if they are looked at. */
  readonly player: RefObject<MovesHandle | null> | null;
  readonly brush: number;
  readonly onBrush: (width: number) => void;
  readonly onTool: (tool: Tool) => void;
  readonly onLoupe: (held: boolean) => void;
  /** See it before the last change. */
  readonly onBefore: (held: boolean) => void;
}

/** Everything the table does by keys. */
export function useTableKeys({ table }: TableHandles, keyed: Keyed) {
  const {
    targets,
    inside,
    pointed,
    onPointed,
    tools,
    editing,
    hand,
    views,
    brush,
    onBrush,
    onLoupe,
    onBefore,
  } = keyed;
  const [cursor, setCursor] = useState<Place | null>(null);
  const { turn } = useUnit();

  const moveCursor = (dx: number, dy: number) => {
    const from = cursor ?? table.current?.centre() ?? { x: 0, y: 0 };
    const next = { x: Math.round(from.x + dx), y: Math.round(from.y + dy) };
    setCursor(next);
    onPointed(targetAt(targets, next, inside)?.id ?? null);
    tools.follow(next);
    table.current?.reveal(next);
  };
  const jump = (way: number) => {
    if (hand) {
      const at = hand.step(way);
      if (at) table.current?.reveal(at);
      return;
    }
    if (!targets.length) return;
    const at = targets.findIndex((one) => one.id === pointed);
    const next = targets[(at + way + targets.length) % targets.length] as RegionTarget;
    onPointed(next.id);
    setCursor(next.place);
    table.current?.reveal(next.place);
  };
  const leave = () => {
    table.current?.dropStroke();
    if (tools.drawn.length) tools.clear();
    else keyed.onTool(CHOOSE);
  };
  const enter = () => {
    const target = targets.find((one) => one.id === pointed);
    if (cursor) tools.press(cursor);
    else if (target) tools.press(target.place);
  };

  const down = (event: React.KeyboardEvent) => {
    if (event.ctrlKey || event.metaKey) return;
    const key = event.key.toLowerCase();
    if (hand && handKey(hand, key, event.shiftKey ? 10 : event.altKey ? 0.1 : 1))
      return event.preventDefault();
    const far = event.shiftKey ? 10 : 1;
    if (editing.key(key, far)) return event.preventDefault();
    if (keyed.player?.current?.key(key)) return event.preventDefault();
    const view = views.find((one) => one.letter === key);
    const acts: Record<string, () => void> = {
      arrowleft: () => moveCursor(-far, 0),
      arrowright: () => moveCursor(far, 0),
      arrowup: () => moveCursor(0, -far),
      arrowdown: () => moveCursor(0, far),
      enter,
      escape: leave,
      n: () => jump(1),
      "0": () => table.current?.fit(),
      "+": () => table.current?.zoom(1.25),
      "=": () => table.current?.zoom(1.25),
      "-": () => table.current?.zoom(0.8),
      "[": () => onBrush(brush / 1.25),
      "]": () => onBrush(brush * 1.25),
      " ": () => table.current?.holdSpace(true),
      l: () => onLoupe(true),
      b: () => onBefore(true),
      u: turn,
    };
    if (view?.letter === "p" && event.shiftKey) return jump(-1);
    const act = view ? () => keyed.onView(view.key) : acts[key];
    if (!act) return;
    event.preventDefault();
    act();
  };
  const up = (event: React.KeyboardEvent) => {
    if (event.key === " ") table.current?.holdSpace(false);
    if (event.key.toLowerCase() === "l") onLoupe(false);
    if (event.key.toLowerCase() === "b") onBefore(false);
  };
  const letGo = () => {
    onLoupe(false);
    onBefore(false);
    table.current?.holdSpace(false);
  };
  return { cursor, down, up, letGo };
}

/** What a key does to the copies in hand; false when none are, or it does nothing. */
function handKey(hand: Copies, key: string, far: number): boolean {
  if (!hand.chosen.length) return false;
  const moves: Record<string, () => unknown> = {
    arrowleft: () => hand.nudge({ dx: -far }),
    arrowright: () => hand.nudge({ dx: far }),
    arrowup: () => hand.nudge({ dy: -far }),
    arrowdown: () => hand.nudge({ dy: far }),
    r: () => hand.nudge({ turn: far > 1 ? 90 : 15 }),
    k: hand.lock,
    delete: hand.throwOff,
    backspace: hand.throwOff,
    escape: () => hand.choose([]),
  };
  moves[key]?.();
  return key in moves;
}
