import { useEffect } from "react";
import type { Keys } from "../ui/KeyList";
import { CAME_OFF } from "./Rehearsal";
import { STATIONS, type StationKey } from "./stations";
import type { JobDesk } from "./useJobDesk";

/** All keys of the job screen, as its list shows them. */
export const KEYS: Keys = [
  ["1 … 6", "go to a station"],
  ["Ctrl Z, Ctrl Shift Z", "undo, redo; as far back as the job goes"],
  ["Ctrl .", "stop every machine that moves, from any screen"],
  ["?", "this list"],
  ["On the table", ""],
  ["wheel, + −", "zoom at the pointer"],
  ["Space or middle button", "hold and drag to pan"],
  ["0", "fit all in view"],
  ["arrows, Shift arrows", "move the cursor by 1 mm, 10 mm"],
  ["n, Shift p", "next and previous region"],
  ["Enter", "click what is under the cursor"],
  ["a, o, p, d", "as made, outlines, over the artwork, deviation"],
  ["m; Enter , .", "at Machine: moves of a beam; play or pause, one path back, one path on"],
  ["f, w, h, c, t, i", "at Lines: drop-out, weak parts, weeding, worst case, on the thing, plate"],
  ["v", "at Sheet and Machine: as it came off a rehearsal, and back to as made"],
  ["click, drag, Shift", "at Sheet: take copies in hand, move them, take more"],
  ["arrows, r, k, Delete", "at Sheet: move, turn, lock, throw off what is in hand; n the next"],
  ["[ ]", "brush narrower, wider"],
  ["Enter, arrows, Enter", "begin, draw and end a stroke with a tool"],
  ["Delete, Insert", "take the node in hand out, add one after it"],
  ["Esc", "give up what is being drawn, then the tool"],
  ["l", "hold for the loupe"],
  ["b", "hold to see it before the last change"],
  ["u", "mm or inches"],
  ["In a slot", ""],
  ["arrows", "step; Shift coarser, Alt finer"],
  ["Enter, Esc", "take the value, restore it"],
];

/** Keys that work anywhere on the screen: undo and redo, the stations, a rehearsal, the list of keys. */
export function useJobKeys(
  desk: JobDesk,
  go: (station: StationKey) => void,
  onKeys: () => void,
  onCameOff: () => void,
): void {
  useEffect(() => {
    const onKey = (event: KeyboardEvent) => {
      const typing = event.target instanceof HTMLInputElement;
      if ((event.ctrlKey || event.metaKey) && !typing) {
        const key = event.key.toLowerCase();
        if (key === "z" && !event.shiftKey) desk.undo();
        else if ((key === "z" && event.shiftKey) || key === "y") desk.redo();
        else return;
        event.preventDefault();
        return;
      }
      if (typing || event.altKey || event.ctrlKey || event.metaKey) return;
      const slot = (event.target as HTMLElement | null)?.getAttribute?.("role") === "spinbutton";
      if (event.key === "?") onKeys();
      else if (event.key === CAME_OFF) onCameOff();
      else if (/^[1-6]$/.test(event.key) && !slot && !event.defaultPrevented)
        go(STATIONS[Number(event.key) - 1]?.key ?? "artwork");
    };
    window.addEventListener("keydown", onKey);
    return () => window.removeEventListener("keydown", onKey);
  });
}
