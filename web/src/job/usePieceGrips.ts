import { useRef, useState } from "react";
import type { Change } from "../api/client";
import type { Place } from "../engine/camera";
import type { Grip } from "./grips";

const STEP = 0.5;
const SETTLES = 800;

/** Dragging the dots of a piece; one drag, or arrow presses in quick succession, is one change. */
export function usePieceGrips(
  placeOf: (event: PointerEvent) => Place,
  onChanges: (changes: Change[]) => void,
) {
  const [moving, setMoving] = useState<{ key: string; at: Place } | null>(null);
  const nudged = useRef<{ timer: number; at: Place } | null>(null);

  const drag = (grip: Grip, event: React.PointerEvent) => {
    if (event.button !== 0) return;
    event.preventDefault();
    event.stopPropagation();
    let at = grip.at;
    let moved = false;
    const move = (now: PointerEvent) => {
      at = placeOf(now);
      moved = true;
      setMoving({ key: grip.key, at });
    };
    const up = () => {
      stop();
      if (moved) onChanges(grip.moved(at));
    };
    const stop = () => {
      window.removeEventListener("pointermove", move);
      window.removeEventListener("pointerup", up);
      window.removeEventListener("pointercancel", stop);
      window.setTimeout(() => setMoving(null), moved ? SETTLES : 0);
    };
    window.addEventListener("pointermove", move);
    window.addEventListener("pointerup", up);
    window.addEventListener("pointercancel", stop);
  };

  const key = (grip: Grip, event: React.KeyboardEvent) => {
    if (event.key === "Delete" && grip.removed) {
      event.preventDefault();
      event.stopPropagation();
      onChanges(grip.removed);
      return;
    }
    const way = { ArrowLeft: [-1, 0], ArrowRight: [1, 0], ArrowUp: [0, -1], ArrowDown: [0, 1] }[event.key];
    if (!way) return;
    event.preventDefault();
    event.stopPropagation();
    const step = event.shiftKey ? 10 * STEP : event.altKey ? STEP / 5 : STEP;
    const from = nudged.current?.at ?? grip.at;
    const at = { x: from.x + (way[0] ?? 0) * step, y: from.y + (way[1] ?? 0) * step };
    if (nudged.current) window.clearTimeout(nudged.current.timer);
    setMoving({ key: grip.key, at });
    const settle = () => {
      nudged.current = null;
      setMoving(null);
      onChanges(grip.moved(at));
    };
    nudged.current = { at, timer: window.setTimeout(settle, SETTLES) };
  };

  return { moving, drag, key };
}
