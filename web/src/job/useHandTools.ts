import { useEffect, useRef, useState } from "react";
import type { Change, Click, Step } from "../api/client";
import type { Place } from "../engine/camera";
import { type Inside, targetAt } from "../engine/hit";
import { formatLength } from "../engine/units";
import { useUnit } from "../ui/unit";
import { drawnClamp } from "./clamps";
import { type OnTable, pieceClick } from "./onTable";
import { onPiece, pieceToolChanges } from "./pieceChanges";
import type { RegionTarget } from "./targets";
import { type Tool, toolChanges } from "./tools";
import type { TracedShape } from "./touchUps";

const RESTS = 250;

/** A finished stroke whose work is still under way. */
export interface Dab {
  readonly tool: Tool;
  readonly points: readonly Place[];
  readonly brush: number;
}

/** What a tool and its gestures need of the table. */
interface Hand {
  readonly on: OnTable;
  readonly targets: readonly RegionTarget[];
  readonly tool: Tool;
  readonly brush: number;
  readonly inside: Inside;
  readonly onChanges: (changes: Change[]) => void;
  readonly onStep: (step: Step) => void;
  /** A click at Lines, whose meaning the service tells. */
  readonly onClick: (layer: string, click: Click) => void;
  readonly onTry: (changes: Change[] | null) => void;
  /** A traced region was clicked, to be dropped or kept. */
  readonly onRegion: (artwork: string, shape: TracedShape) => void;
  /** A traced region was clicked, to be edited node by node. */
  readonly onOpen: (artwork: string, width: number, shape: TracedShape) => void;
}

/** Clicks and gestures on the table, and the changes they make; what is being drawn is seen until its work is there. */
export function useHandTools(hand: Hand) {
  const { on, targets, tool, brush, inside, onChanges } = hand;
  const [drawn, setDrawn] = useState<readonly Place[]>([]);
  const [dab, setDab] = useState<Dab | null>(null);
  const [measured, setMeasured] = useState("");
  const { unit } = useUnit();
  // a stroke stays in sight until the work that follows from it is there
  // biome-ignore lint/correctness/useExhaustiveDependencies: new work takes its place
  useEffect(() => setDab(null), [on.work]);

  const clear = () => {
    setDrawn([]);
    setMeasured("");
  };

  /** A gesture of the tool is complete. */
  const finish = (points: readonly Place[]) => {
    setDrawn([]);
    const first = points[0];
    const last = points[points.length - 1];
    if (!first || !last) return;
    if (tool.key === "measure") {
      const [across, down] = [Math.abs(last.x - first.x), Math.abs(last.y - first.y)];
      setDrawn([first, last]);
      setMeasured(
        `${formatLength(Math.hypot(across, down), unit)}; across ${formatLength(across, unit)}, down ${formatLength(down, unit)}`,
      );
      return;
    }
    if (tool.key === "clamp") {
      const made = drawnClamp(on.ticket, on.work, first, last);
      if (made) onChanges(made);
      return;
    }
    if (on.station === "lines") {
      const { piece, layer, line, drawn: of } = on;
      if (!piece || !layer || !of) return;
      const [at, to] = [onPiece(of.frame, first), onPiece(of.frame, last)];
      if (tool.key === "kerf") hand.onClick(layer.id, { what: "kerf", line: line?.id ?? "", ...at });
      else if (tool.key === "fold")
        hand.onStep({
          kind: "draw fold",
          layer: layer.id,
          line: line?.id ?? "",
          ...at,
          x2: to.x,
          y2: to.y,
        });
      else {
        const made = pieceToolChanges(tool.key, piece, layer, of, line, points);
        if (made) onChanges(made);
      }
      return;
    }
    const under = targetAt(targets, first, inside) as RegionTarget | null;
    const artwork = under?.artwork ?? on.artwork;
    const of = on.work.artworks[artwork];
    const changes = of && toolChanges(tool, on.station, artwork, of, points, brush, under?.shape ?? null);
    if (!changes) return;
    if (tool.gesture === "stroke" || tool.gesture === "loop") setDab({ tool, points, brush });
    onChanges(changes);
  };

  /** A press on the table, by pointer or by Enter at the cursor. */
  const press = (place: Place) => {
    if (tool.key === "choose" || tool.gesture === "nodes") {
      const found = targetAt(targets, place, inside) as RegionTarget | null;
      if (!found) return;
      if (on.station === "lines") {
        const made = pieceClick(on, found, place);
        if (made && "what" in made && on.layer) hand.onClick(on.layer.id, made);
        else if (made && "path" in made) onChanges([made]);
      } else if (!found.artwork || !found.shape) return;
      else if (tool.key === "choose") hand.onRegion(found.artwork, found.shape);
      else hand.onOpen(found.artwork, on.work.artworks[found.artwork]?.width ?? 1, found.shape);
    } else if (tool.gesture === "click") finish([place]);
    else if (drawn.length === 0 || (tool.key === "measure" && measured)) {
      setMeasured("");
      setDrawn([place]);
    } else
      finish(
        tool.gesture === "two" || tool.gesture === "box" ? [drawn[0] as Place, place] : [...drawn, place],
      );
  };

  // while the pointer rests, the table shows what a click there would take away
  const resting = useRef({ timer: 0, shows: false });
  const rest = (place: Place | null) => {
    window.clearTimeout(resting.current.timer);
    if (resting.current.shows) hand.onTry(null);
    resting.current.shows = false;
    const { pixels } = on;
    if (!place || on.station !== "clean" || tool.key !== "places" || !pixels) return;
    resting.current.timer = window.setTimeout(() => {
      const made = toolChanges(tool, on.station, on.artwork, pixels, [place], brush, null);
      if (!made) return;
      resting.current.shows = true;
      hand.onTry(made);
    }, RESTS);
  };

  /** The cursor was moved with a gesture begun. */
  const follow = (place: Place) => {
    if (!drawn.length || measured) return;
    const goesOn = tool.gesture === "stroke" || tool.gesture === "loop";
    setDrawn(goesOn ? [...drawn, place] : [drawn[0] as Place, place]);
  };

  return { drawn, draw: setDrawn, dab, measured, press, finish, rest, follow, clear };
}
