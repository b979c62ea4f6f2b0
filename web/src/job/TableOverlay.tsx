import { chakra } from "@chakra-ui/react";
import type { ReactNode, Ref } from "react";
import type { Box, Place } from "../engine/camera";
import type { Grip, RingNode, Rings } from "../engine/nodes";
import { dataOf } from "../engine/nodes";
import type { Grip as PieceGrip } from "./grips";
import type { Tool } from "./tools";

const Svg = chakra("svg");
const INK = "#1E2A2E";
const MARIGOLD = "#8A5F00";

export interface OverlayRegion {
  readonly id: string;
  readonly d: string;
  readonly dropped: string;
  readonly stroke: number | null;
}

/** A finished stroke whose work is still under way. */
export interface Dab {
  readonly tool: Tool;
  readonly points: readonly Place[];
  readonly brush: number;
}

interface Props {
  group: Ref<SVGGElement>;
  /** Copies of a sheet that are in hand. */
  copies: ReactNode;
  regions: readonly OverlayRegion[];
  pointed: string | null;
  cursor: Place | null;
  /** A place that a note is about. */
  shownPlace: Place | null;
  grips: readonly PieceGrip[];
  /** A grip that is being dragged, and where it is now. */
  moving: { key: string; at: Place } | null;
  onPieceGrip: (grip: PieceGrip, event: React.PointerEvent) => void;
  onPieceGripKey: (grip: PieceGrip, event: React.KeyboardEvent) => void;
  lettering: readonly Box[];
  leftOut: string;
  tool: Tool;
  /** What a gesture has drawn so far, in mm. */
  drawn: readonly Place[];
  dab: Dab | null;
  brush: number;
  editing: Rings | null;
  grip: Grip | null;
  onGrip: (grip: Grip, event: React.PointerEvent) => void;
  onInsert: (ring: number, after: number) => void;
}

/** What can be pointed at and what is being drawn, over the canvas; it moves with the camera by one transform. */
export function TableOverlay(props: Props) {
  const { group, regions, pointed, cursor, lettering, leftOut, tool, drawn, brush, editing } = props;
  return (
    <Svg position="absolute" inset="0" width="100%" height="100%" pointerEvents="none">
      <g ref={group}>
        {regions.map((one) => (
          <path
            key={one.id}
            data-region={one.id}
            data-dropped={one.dropped}
            d={one.d}
            fillRule="evenodd"
            fill={one.id === pointed && one.stroke === null ? "rgba(233,165,12,.28)" : "none"}
            stroke={one.id === pointed ? MARIGOLD : "none"}
            strokeWidth={one.stroke === null ? 2 : 5}
            vectorEffect="non-scaling-stroke"
          />
        ))}
        {leftOut && (
          <path
            data-left-out=""
            d={leftOut}
            fill="rgba(140,47,27,.10)"
            stroke="#8C2F1B"
            strokeWidth="1.4"
            strokeDasharray="5 4"
            vectorEffect="non-scaling-stroke"
          />
        )}
        {lettering.map(([left, top, right, bottom]) => (
          <path
            key={`${left},${top}`}
            data-lettering=""
            d={`M${left} ${top}H${right}V${bottom}H${left}Z`}
            fill="none"
            stroke={MARIGOLD}
            strokeWidth="1.6"
            strokeDasharray="2 4"
            vectorEffect="non-scaling-stroke"
          />
        ))}
        {props.copies}
        {props.grips.map((grip) => (
          <GripDot
            key={grip.key}
            own={grip}
            moving={props.moving}
            onDown={props.onPieceGrip}
            onKey={props.onPieceGripKey}
          />
        ))}
        {props.shownPlace && (
          <path
            data-shown-place=""
            d={`M${props.shownPlace.x} ${props.shownPlace.y}h0.0001`}
            stroke={MARIGOLD}
            strokeOpacity="0.45"
            strokeWidth="46"
            strokeLinecap="round"
            vectorEffect="non-scaling-stroke"
          />
        )}
        {props.dab && (
          <g data-dab="">
            <Drawn tool={props.dab.tool} drawn={props.dab.points} brush={props.dab.brush} />
          </g>
        )}
        {drawn.length > 0 && <Drawn tool={tool} drawn={drawn} brush={brush} />}
        {editing && <Nodes {...props} editing={editing} />}
        {cursor && (
          <path
            data-cursor=""
            d={`M${cursor.x - 2} ${cursor.y}h4M${cursor.x} ${cursor.y - 2}v4`}
            stroke={INK}
            strokeWidth="1.5"
            vectorEffect="non-scaling-stroke"
          />
        )}
      </g>
    </Svg>
  );
}

/** A dot to move something by, with the pointer or, while it has the focus, with arrow keys. */
function GripDot({
  own,
  moving,
  onDown,
  onKey,
}: {
  own: PieceGrip;
  moving: Props["moving"];
  onDown: Props["onPieceGrip"];
  onKey: Props["onPieceGripKey"];
}) {
  const at = moving?.key === own.key ? moving.at : own.at;
  const d = `M${at.x} ${at.y}h0.0001`;
  return (
    // biome-ignore lint/a11y/useSemanticElements: a button cannot stand in a drawing
    <g
      role="button"
      tabIndex={0}
      aria-label={own.words}
      data-grip={own.key}
      pointerEvents="all"
      cursor="move"
      onPointerDown={(event) => onDown(own, event)}
      onKeyDown={(event) => onKey(own, event)}
    >
      <path
        d={d}
        stroke="transparent"
        strokeWidth="24"
        strokeLinecap="round"
        vectorEffect="non-scaling-stroke"
      />
      <path d={d} stroke={INK} strokeWidth="13" strokeLinecap="round" vectorEffect="non-scaling-stroke" />
      <path d={d} stroke="#fff" strokeWidth="9" strokeLinecap="round" vectorEffect="non-scaling-stroke" />
      <path d={d} stroke="#E9A50C" strokeWidth="5" strokeLinecap="round" vectorEffect="non-scaling-stroke" />
    </g>
  );
}

function Drawn({ tool, drawn, brush }: { tool: Tool; drawn: readonly Place[]; brush: number }) {
  const first = drawn[0] as Place;
  const last = drawn[drawn.length - 1] as Place;
  const way = drawn.map(({ x, y }) => `${x} ${y}`).join("L");
  if (tool.gesture === "box")
    return (
      <path
        d={`M${first.x} ${first.y}H${last.x}V${last.y}H${first.x}Z`}
        fill="rgba(233,165,12,.16)"
        stroke={INK}
        strokeWidth="1.5"
        strokeDasharray="6 4"
        vectorEffect="non-scaling-stroke"
      />
    );
  if (tool.gesture === "stroke")
    return (
      <path
        data-stroke=""
        d={drawn.length === 1 ? `M${way}h0.001` : `M${way}`}
        fill="none"
        stroke="rgba(233,165,12,.6)"
        strokeWidth={brush}
        strokeLinecap="round"
        strokeLinejoin="round"
      />
    );
  return (
    <path
      data-stroke=""
      d={`M${way}${tool.gesture === "loop" ? "Z" : ""}`}
      fill={tool.gesture === "loop" ? "rgba(233,165,12,.2)" : "none"}
      stroke={INK}
      strokeWidth="2"
      strokeDasharray="6 4"
      strokeLinecap="round"
      vectorEffect="non-scaling-stroke"
    />
  );
}

function Nodes({ editing, grip, onGrip, onInsert }: Props & { editing: Rings }) {
  return (
    <g pointerEvents="all">
      <path
        d={dataOf(editing)}
        fill="none"
        stroke={MARIGOLD}
        strokeWidth="1.8"
        vectorEffect="non-scaling-stroke"
        pointerEvents="none"
      />
      {editing.map((ring, r) =>
        ring.map((node, n) => {
          const next = ring[(n + 1) % ring.length] as RingNode;
          const chosen = grip?.ring === r && grip.node === n;
          return (
            // biome-ignore lint/suspicious/noArrayIndexKey: a node has its place in the ring only
            <g key={`${r}:${n}`}>
              {/* biome-ignore lint/a11y/noStaticElementInteractions: Insert does the same from the keyboard */}
              <path
                d={segment(node, next)}
                fill="none"
                stroke="transparent"
                strokeWidth="9"
                vectorEffect="non-scaling-stroke"
                pointerEvents="stroke"
                onDoubleClick={() => onInsert(r, n)}
              />
              {chosen &&
                (["arriving", "leaving"] as const).map((part) => {
                  const handle = node[part];
                  return (
                    handle && (
                      <g key={part}>
                        <path
                          d={`M${node.at.x} ${node.at.y}L${handle.x} ${handle.y}`}
                          stroke={INK}
                          strokeWidth="1"
                          vectorEffect="non-scaling-stroke"
                        />
                        <Dot
                          at={handle}
                          size={9}
                          colour="#fff"
                          onDown={(event) => onGrip({ ring: r, node: n, part }, event)}
                        />
                      </g>
                    )
                  );
                })}
              <Dot
                at={node.at}
                size={chosen ? 13 : 10}
                colour={chosen ? "#E9A50C" : INK}
                name={`${r}:${n}`}
                onDown={(event) => onGrip({ ring: r, node: n, part: "at" }, event)}
              />
            </g>
          );
        }),
      )}
    </g>
  );
}

function segment(node: RingNode, next: RingNode): string {
  const start = `M${node.at.x} ${node.at.y}`;
  const one = node.leaving ?? node.at;
  const two = next.arriving ?? next.at;
  return `${start}C${one.x} ${one.y} ${two.x} ${two.y} ${next.at.x} ${next.at.y}`;
}

/** A dot of the same size on screen at every zoom. */
function Dot(props: {
  at: Place;
  size: number;
  colour: string;
  name?: string;
  onDown: (event: React.PointerEvent) => void;
}) {
  const d = `M${props.at.x} ${props.at.y}h0.0001`;
  return (
    <g onPointerDown={props.onDown} cursor="move" data-node={props.name}>
      <path
        d={d}
        stroke={INK}
        strokeWidth={props.size + 2}
        strokeLinecap="round"
        vectorEffect="non-scaling-stroke"
        pointerEvents="stroke"
      />
      <path
        d={d}
        stroke={props.colour}
        strokeWidth={props.size - 2}
        strokeLinecap="round"
        vectorEffect="non-scaling-stroke"
        pointerEvents="none"
      />
    </g>
  );
}
