import { type RefObject, useCallback, useEffect, useRef } from "react";
import type { Place } from "../engine/camera";
import { toTable } from "../engine/camera";
import { Table, type TableState } from "../engine/table";
import type { Unit } from "../engine/units";

const CSS_SCALE = 96 / 25.4;

/** What the canvas calls back into. */
export interface TableCalls {
  press: (place: Place) => void;
  point: (place: Place | null) => void;
  stroke: (points: readonly Place[], done: boolean, adds: boolean) => void;
  /** The camera moved. */
  look: (state: TableState) => void;
}

export interface TableHandles {
  readonly canvas: RefObject<HTMLCanvasElement | null>;
  /** Moves with the camera by one transform. */
  readonly overlay: RefObject<SVGGElement | null>;
  readonly zoomText: RefObject<HTMLSpanElement | null>;
  readonly table: RefObject<Table | null>;
  /** As it was when the camera last moved. */
  readonly state: RefObject<Pick<TableState, "camera" | "view">>;
  readonly placeOf: (event: PointerEvent) => Place;
}

/** How the table is read: its unit, whether the loupe is held, and a place it is brought to. */
export interface TableManner {
  readonly unit: Unit;
  readonly loupe: boolean;
  readonly place: Place | null;
}

/** The canvas of the table and what moves with its camera; no call of it renders anything. */
export function useTable({ unit, loupe, place }: TableManner, calls: TableCalls): TableHandles {
  const canvas = useRef<HTMLCanvasElement>(null);
  const overlay = useRef<SVGGElement>(null);
  const zoomText = useRef<HTMLSpanElement>(null);
  const table = useRef<Table | null>(null);
  const state = useRef<Pick<TableState, "camera" | "view">>({
    camera: { scale: 1, x: 0, y: 0 },
    view: { width: 1, height: 1 },
  });
  const newest = useRef(calls);
  newest.current = calls;

  useEffect(() => {
    if (!canvas.current) return;
    const made = new Table(
      canvas.current,
      (now) => {
        state.current = now;
        const { scale, x, y } = now.camera;
        overlay.current?.setAttribute("transform", `matrix(${scale} 0 0 ${scale} ${x} ${y})`);
        if (zoomText.current) zoomText.current.textContent = `${Math.round((100 * scale) / CSS_SCALE)} %`;
        newest.current.look(now);
      },
      (at) => newest.current.press(at),
      (at) => newest.current.point(at),
      (points, done, adds) => newest.current.stroke(points, done, adds),
    );
    table.current = made;
    return () => made.destroy();
  }, []);

  useEffect(() => {
    if (place) table.current?.goTo(place);
  }, [place]);
  useEffect(() => table.current?.setUnit(unit), [unit]);
  useEffect(() => table.current?.holdLoupe(loupe), [loupe]);

  const placeOf = useCallback((event: PointerEvent) => {
    const box = canvas.current?.getBoundingClientRect();
    const at = { x: event.clientX - (box?.left ?? 0), y: event.clientY - (box?.top ?? 0) };
    return toTable(state.current.camera, at);
  }, []);
  return { canvas, overlay, zoomText, table, state, placeOf };
}
