import type { Change } from "../api/client";
import type { Place } from "../engine/camera";
import type { OnTable } from "./onTable";
import { parsed } from "./parsed";
import { bridgeMarks, type LayerView, onPiece, tieMarks } from "./pieceChanges";
import type { Layer, Piece } from "./ticket";

/** Something on the piece that is moved by dragging its dot, or with arrow keys while the dot has the focus. */
export interface Grip {
  readonly key: string;
  readonly at: Place;
  readonly words: string;
  /** The change that leaves it at another place. */
  readonly moved: (to: Place) => Change[];
  /** The change that takes it away, with Delete, where it can be. */
  readonly removed?: Change[];
}

/** Ties, bridges, the hanger and every element but the first, at Lines. */
export function gripsOf({ piece, layer, drawn }: OnTable): Grip[] {
  if (!piece || !layer || !drawn) return [];
  return [
    ...elementGrips(piece, drawn),
    ...tieGrips(piece, layer, drawn),
    ...bridgeGrips(piece, drawn),
    ...hangerGrip(piece, drawn),
  ];
}

function elementGrips(piece: Piece, view: LayerView): Grip[] {
  return piece.elements.slice(1).flatMap((element) => {
    // what is cut out paints nothing, but is moved all the same
    const boxes = [...view.shapes, ...view.takers]
      .filter((one) => one.element === element.id && one.d)
      .map((one) => parsed(one.d).facts.box);
    if (!boxes.length) return [];
    const at = {
      x: (Math.min(...boxes.map((b) => b[0])) + Math.max(...boxes.map((b) => b[2]))) / 2,
      y: (Math.min(...boxes.map((b) => b[1])) + Math.max(...boxes.map((b) => b[3]))) / 2,
    };
    const here = `pieces/${piece.id}/elements/${element.id}`;
    const shifted = (value: number) => Math.round(value * 100) / 100;
    const moved = (to: Place): Change[] => [
      { path: `${here}/x`, value: shifted(element.x + to.x - at.x), operation: "set" },
      { path: `${here}/y`, value: shifted(element.y + to.y - at.y), operation: "set" },
    ];
    return [{ key: `element ${element.id}`, at, words: "Move this element", moved }];
  });
}

function tieGrips(piece: Piece, layer: Layer, view: LayerView): Grip[] {
  return layer.lines.flatMap((line) => {
    const drawn = view.lines.find((one) => one.id === line.id);
    return (drawn?.ties ?? []).map(([x, y], index): Grip => {
      const moved = (to: Place): Change[] => {
        const marks = tieMarks(line, view);
        const nearest = nearestMark(marks, onPiece(view.frame, { x, y }));
        const value = marks.map((mark, k) =>
          k === nearest ? { ...mark, ...onPiece(view.frame, to) } : mark,
        );
        return [
          {
            path: `pieces/${piece.id}/layers/${layer.id}/lines/${line.id}/process/tie_marks`,
            value,
            operation: "set",
          },
        ];
      };
      return { key: `tie ${line.id} ${index}`, at: { x, y }, words: "Move this tie", moved };
    });
  });
}

function nearestMark(marks: readonly Place[], place: Place): number {
  const away = marks.map((mark) => Math.hypot(mark.x - place.x, mark.y - place.y));
  return away.indexOf(Math.min(...away));
}

function bridgeGrips(piece: Piece, view: LayerView): Grip[] {
  return view.bridges.map(([x, y, x2, y2], index): Grip => {
    const at = { x: (x + x2) / 2, y: (y + y2) / 2 };
    const moved = (to: Place): Change[] => {
      const marks = bridgeMarks(piece, view);
      const by = { x: to.x - at.x, y: to.y - at.y };
      const one = onPiece(view.frame, { x: x + by.x, y: y + by.y });
      const other = onPiece(view.frame, { x: x2 + by.x, y: y2 + by.y });
      const value = marks.map((mark, k) =>
        k === index ? { ...mark, ...one, x2: other.x, y2: other.y } : mark,
      );
      return [{ path: `pieces/${piece.id}/stencil/bridges`, value, operation: "set" }];
    };
    return { key: `bridge ${index}`, at, words: "Move this bridge", moved };
  });
}

function hangerGrip(piece: Piece, view: LayerView): Grip[] {
  if (!view.hanging) return [];
  const [x, y] = view.hanging.place;
  const moved = (to: Place): Change[] => [
    {
      path: `pieces/${piece.id}/hanger/place`,
      value: [{ id: piece.hanger.place[0]?.id ?? "g1", ...onPiece(view.frame, to) }],
      operation: "set",
    },
  ];
  return [{ key: "hanger", at: { x, y }, words: "Move the hanger", moved }];
}
