import { useEffect, useRef, useState } from "react";
import type { Change } from "../api/client";
import type { Place } from "../engine/camera";
import { dataOf, type Grip, moved, type Rings, ringsOf, withNode, withoutNode } from "../engine/nodes";
import { newId, type Ticket } from "./ticket";
import type { TracedShape } from "./touchUps";

const OUTLINE_UNIT = 1000;
const SAME_PLACE = 1e-4;

interface Edited {
  readonly artwork: string;
  readonly width: number;
  readonly shape: TracedShape;
  readonly rings: Rings;
}

/** One region under the hand, node by node; each finished move is one change that pins the region's outline. */
export function useNodeEditing(
  ticket: Ticket,
  onChanges: (changes: Change[]) => void,
  toTable: (event: PointerEvent) => Place,
) {
  const [edited, setEdited] = useState<Edited | null>(null);
  const [grip, setGrip] = useState<Grip | null>(null);
  const live = useRef({ edited, onChanges, ticket });
  live.current = { edited, onChanges, ticket };
  const stop = useRef<(() => void) | null>(null);
  useEffect(() => () => stop.current?.(), []);

  const keep = (next: Edited) => {
    setEdited(next);
    const { shape, artwork, width, rings } = next;
    const outline = dataOf(rings, OUTLINE_UNIT / width, 3);
    const here = `artworks/${artwork}/touch_ups`;
    const own = live.current.ticket.artworks
      .find((one) => one.id === artwork)
      ?.touch_ups.find(
        (one) => one.kind === "outline" && Math.hypot(one.x - shape.x, one.y - shape.y) < SAME_PLACE,
      );
    live.current.onChanges([
      own
        ? { path: `${here}/${own.id}/outline`, value: outline, operation: "set" }
        : {
            path: here,
            value: {
              id: newId("t"),
              kind: "outline",
              x: shape.x,
              y: shape.y,
              colour: shape.rgb,
              size: shape.size,
              outline,
            },
            operation: "add",
          },
    ]);
  };

  return {
    rings: edited?.rings ?? null,
    grip,
    open: (artwork: string, width: number, shape: TracedShape) => {
      setEdited({ artwork, width, shape, rings: ringsOf(shape.d) });
      setGrip(null);
    },
    close: () => {
      setEdited(null);
      setGrip(null);
    },
    hold: (held: Grip, event: React.PointerEvent) => {
      event.preventDefault();
      event.stopPropagation();
      setGrip(held);
      let latest: Edited | null = null;
      const move = (at: PointerEvent) => {
        const from = live.current.edited;
        if (!from) return;
        latest = { ...from, rings: moved(from.rings, held, toTable(at)) };
        setEdited(latest);
      };
      const up = () => {
        stop.current?.();
        if (latest) keep(latest);
      };
      stop.current = () => {
        window.removeEventListener("pointermove", move);
        window.removeEventListener("pointerup", up);
        stop.current = null;
      };
      window.addEventListener("pointermove", move);
      window.addEventListener("pointerup", up);
    },
    insert: (ring: number, after: number) => {
      if (!edited) return;
      keep({ ...edited, rings: withNode(edited.rings, ring, after) });
      setGrip({ ring, node: after + 1, part: "at" });
    },
    /** Whether a key was meant for the node in hand: arrows nudge it, Delete takes it out, n goes to the next. */
    key: (key: string, far: number): boolean => {
      if (!edited) return false;
      const held = grip ?? { ring: 0, node: 0, part: "at" as const };
      const ring = edited.rings[held.ring];
      const node = ring?.[held.node];
      if (!ring || !node) return false;
      const step = { arrowleft: [-1, 0], arrowright: [1, 0], arrowup: [0, -1], arrowdown: [0, 1] }[key];
      if (step) {
        const to = {
          x: node.at.x + (step[0] as number) * 0.1 * far,
          y: node.at.y + (step[1] as number) * 0.1 * far,
        };
        keep({ ...edited, rings: moved(edited.rings, { ...held, part: "at" }, to) });
      } else if (key === "delete" || key === "backspace")
        keep({ ...edited, rings: withoutNode(edited.rings, held) });
      else if (key === "insert") keep({ ...edited, rings: withNode(edited.rings, held.ring, held.node) });
      else if (key === "n")
        setGrip(
          held.node + 1 < ring.length
            ? { ...held, node: held.node + 1, part: "at" }
            : { ring: (held.ring + 1) % edited.rings.length, node: 0, part: "at" },
        );
      else if (key === "escape") {
        setEdited(null);
        setGrip(null);
      } else return false;
      if (!grip && step) setGrip(held);
      return true;
    },
  };
}
