import { type KeyboardEvent, type PointerEvent, useRef, useState } from "react";
import type { Fields } from "../api/client";
import { freeId } from "./freeId";

type Place = readonly [height: number, radius: number];
export type Girth = { id: string; height: number; diameter: number };

const INK = "#1E2A2E";
const STEP = 0.5; // mm
const LARGEST = 1000;
const HANDLE = 7; // px
const PX = 230; // of the longer side

/** A profile from the side. Its diameters are dragged, or moved by the arrow keys; a click on the wall adds one there. */
export function ProfileDrawing(props: {
  places: readonly Place[];
  girths: readonly Girth[];
  label: string;
  onChange: (girths: Girth[]) => void;
}) {
  const { places, girths } = props;
  const svg = useRef<SVGSVGElement>(null);
  const [held, setHeld] = useState<{ id: string; view: View } | null>(null);
  const view = held?.view ?? viewOf(places, girths);
  const perPx = Math.max(view.width, view.height) / PX;
  const from = (event: PointerEvent): Place => {
    const matrix = svg.current?.getScreenCTM()?.inverse();
    const { x, y } = new DOMPoint(event.clientX, event.clientY).matrixTransform(matrix);
    return [y, Math.abs(x)];
  };
  const move = (id: string, height: number, diameter: number) =>
    props.onChange(moved(girths, id, height, diameter));
  const onKey = (event: KeyboardEvent, girth: Girth) => {
    const fine = event.shiftKey ? 10 * STEP : STEP;
    const by = { ArrowLeft: [0, -fine], ArrowRight: [0, fine], ArrowUp: [-fine, 0], ArrowDown: [fine, 0] }[
      event.key
    ];
    if (by) move(girth.id, girth.height + (by[0] ?? 0), girth.diameter + (by[1] ?? 0));
    else if (event.key === "Delete" && girths.length > 2)
      props.onChange(girths.filter(({ id }) => id !== girth.id));
    else return;
    event.preventDefault();
  };
  const side = (sign: number) => places.map(([z, r]) => `${sign * r} ${z}`);
  return (
    <svg
      ref={svg}
      viewBox={`${view.left} ${view.top} ${view.width} ${view.height}`}
      width={view.width / perPx}
      height={view.height / perPx}
      style={{ touchAction: "none", overflow: "visible" }}
    >
      <title>{props.label}</title>
      <path
        d={`M${[...side(1), ...side(-1).reverse()].join("L")}Z`}
        fill="#E4EAE5"
        stroke={INK}
        strokeWidth="1.4"
        vectorEffect="non-scaling-stroke"
      />
      <path
        d={`M${side(1).join("L")}M${side(-1).join("L")}`}
        fill="none"
        stroke="transparent"
        strokeWidth="12"
        vectorEffect="non-scaling-stroke"
        style={{ cursor: "copy" }}
        onPointerDown={(event) => {
          const [height] = from(event);
          props.onChange(added(girths, places, height));
        }}
      >
        <title>Click to add a diameter here</title>
      </path>
      {girths.map((girth, k) => (
        <g key={girth.id}>
          <line
            x1={-girth.diameter / 2}
            x2={girth.diameter / 2}
            y1={girth.height}
            y2={girth.height}
            stroke={INK}
            strokeWidth="0.8"
            strokeDasharray="3 3"
            vectorEffect="non-scaling-stroke"
            pointerEvents="none"
          />
          <circle
            cx={girth.diameter / 2}
            cy={girth.height}
            r={HANDLE * perPx}
            fill="#fff"
            stroke={INK}
            strokeWidth="1.6"
            vectorEffect="non-scaling-stroke"
            style={{ cursor: "move" }}
            tabIndex={0}
            role="slider"
            aria-label={`Diameter ${k + 1}: arrows to the sides widen it, up and down move it, Delete takes it away`}
            aria-valuenow={girth.diameter}
            aria-valuemin={1}
            aria-valuemax={LARGEST}
            aria-valuetext={`${girth.diameter} mm across, ${girth.height} mm below the rim`}
            onKeyDown={(event) => onKey(event, girth)}
            onPointerDown={(event) => {
              event.currentTarget.setPointerCapture(event.pointerId);
              setHeld({ id: girth.id, view });
            }}
            onPointerMove={(event) => {
              if (held?.id !== girth.id) return;
              const [height, radius] = from(event);
              move(girth.id, height, 2 * radius);
            }}
            onPointerUp={() => setHeld(null)}
            onPointerCancel={() => setHeld(null)}
          />
        </g>
      ))}
    </svg>
  );
}

type View = { left: number; top: number; width: number; height: number };

function viewOf(places: readonly Place[], girths: readonly Girth[]): View {
  const high = Math.max(1, ...places.map(([z]) => z), ...girths.map(({ height }) => height));
  const wide = 2 * Math.max(1, ...places.map(([, r]) => r), ...girths.map(({ diameter }) => diameter / 2));
  const edge = 0.06 * Math.max(high, wide);
  return { left: -wide / 2 - edge, top: -edge, width: wide + 2 * edge, height: high + 2 * edge };
}

const stepped = (value: number) => Math.round(value / STEP) * STEP;
const between = (value: number, low: number, high: number) => Math.min(Math.max(value, low), high);

/** Diameters, one of them elsewhere: the first stays at the rim, none passes another. */
export function moved(girths: readonly Girth[], id: string, height: number, diameter: number): Girth[] {
  const k = girths.findIndex((one) => one.id === id);
  const low = k === 0 ? 0 : (girths[k - 1]?.height ?? 0) + STEP;
  const high = k === 0 ? 0 : (girths[k + 1]?.height ?? LARGEST + STEP) - STEP;
  const to = {
    height: stepped(between(height, low, high)),
    diameter: stepped(between(diameter, 1, LARGEST)),
  };
  return girths.map((one) => (one.id === id ? { ...one, ...to } : one));
}

/** Diameters with another one at a height, as wide as the wall is there; as they were where it would lie on one. */
export function added(girths: readonly Girth[], places: readonly Place[], height: number): Girth[] {
  const at = stepped(height);
  const below = places.findIndex(([z]) => z >= at);
  const [before, after] = [places[below - 1], places[below]];
  if (!before || !after || girths.some((one) => Math.abs(one.height - at) < 2 * STEP)) return [...girths];
  const share = (at - before[0]) / (after[0] - before[0]);
  const diameter = stepped(2 * (before[1] + share * (after[1] - before[1])));
  const made = { id: freeId("i", girths as readonly Fields[]), height: at, diameter };
  return [...girths, made].sort((one, other) => one.height - other.height);
}
