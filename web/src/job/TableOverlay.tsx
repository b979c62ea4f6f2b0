import { chakra } from "@chakra-ui/react";
import type { ReactNode, Ref } from "react";
import type { Box, Place } from "../engine/camera";
import type { RingNode, Rings } from "../engine/nodes";
import { dataOf } from "../engine/nodes";
import { frameData } from "../engine/pathdata";
import type { LaidClamp } from "./clamps";
import type { Grip as PieceGrip } from "./grips";
import type { RegionTarget } from "./targets";
import type { Tool } from "./tools";
import type { useHandTools } from "./useHandTools";
import type { useNodeEditing } from "./useNodeEditing";
import type { usePieceGrips } from "./usePieceGrips";

const Svg = chakra("svg");
const INK = "#1E2A2E";
const MARIGOLD = "#8A5F00";

interface Props {
  group: Ref<SVGGElement>;
  /** Copies of a sheet that are in hand. */
  copies: ReactNode;
  targets: readonly RegionTarget[];
  pointed: string | null;
  cursor: Place | null;
  /** A place that a note is about. */
  shownPlace: Place | null;
  /** Beds on which a clamp can be drawn. */
  beds: readonly Box[];
  clamps: readonly LaidClamp[];
  grips: readonly PieceGrip[];
  moving: ReturnType<typeof usePieceGrips>;
  lettering: readonly Box[];
  leftOut: string;
  tool: Tool;
  tools: ReturnType<typeof useHandTools>;
  brush: number;
  editing: ReturnType<typeof useNodeEditing>;
}

/** What can be pointed at and what is being drawn, over the canvas; it moves with the camera by one transform. */
export function TableOverlay(props: Props) {
  const { group, targets, pointed, cursor, lettering, leftOut, tool, brush, editing } = props;
  const { drawn, dab } = props.tools;
  return (
    <Svg position="absolute" inset="0" width="100%" height="100%" pointerEvents="none">
      <g ref={group}>
        {targets.map(({ id, d, shape }) => (
          <path
            key={id}
            data-region={id}
            data-dropped={shape?.dropped ?? ""}
            d={d}
            fillRule="evenodd"
            fill={id === pointed && typeof shape?.stroke !== "number" ? "rgba(233,165,12,.28)" : "none"}
            stroke={id === pointed ? MARIGOLD : "none"}
            strokeWidth={typeof shape?.stroke === "number" ? 5 : 2}
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
        {lettering.map((box) => (
          <path
            key={box.join()}
            data-lettering=""
            d={frameData(box)}
            fill="none"
            stroke={MARIGOLD}
            strokeWidth="1.6"
            strokeDasharray="2 4"
            vectorEffect="non-scaling-stroke"
          />
        ))}
        {props.copies}
        {props.beds.map((box) => (
          <path
            key={box.join()}
            data-bed=""
            d={frameData(box)}
            fill="none"
            stroke={INK}
            strokeDasharray="2 4"
            vectorEffect="non-scaling-stroke"
          />
        ))}
        {props.clamps.map((clamp) => (
          <Clamp key={clamp.key} own={clamp} moving={props.moving} />
        ))}
        {props.grips.map((grip) => (
          <GripDot key={grip.key} own={grip} moving={props.moving} />
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
        {dab && (
          <g data-dab="">
            <Drawn tool={dab.tool} drawn={dab.points} brush={dab.brush} />
          </g>
        )}
        {drawn.length > 0 && <Drawn tool={tool} drawn={drawn} brush={brush} />}
        {tool.gesture === "nodes" && editing.rings && <Nodes editing={editing} rings={editing.rings} />}
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

/** What holds the work, where it lies or is being moved to. */
function Clamp({ own, moving }: { own: LaidClamp; moving: Props["moving"] }) {
  const [left, top, right, bottom] = own.box;
  const { grip } = own;
  const to = grip && moving.moving?.key === grip.key ? moving.moving.at : grip?.at;
  const by = to && grip ? { x: to.x - grip.at.x, y: to.y - grip.at.y } : { x: 0, y: 0 };
  return (
    <path
      data-clamp={own.key}
      d={frameData([left + by.x, top + by.y, right + by.x, bottom + by.y])}
      fill="rgba(30,42,46,.45)"
      stroke={INK}
      strokeWidth="1.5"
      vectorEffect="non-scaling-stroke"
    />
  );
}

/** A dot to move something by, with the pointer or, while it has the focus, with arrow keys. */
function GripDot({ own, moving }: { own: PieceGrip; moving: Props["moving"] }) {
  const at = moving.moving?.key === own.key ? moving.moving.at : own.at;
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
      onPointerDown={(event) => moving.drag(own, event)}
      onKeyDown={(event) => moving.key(own, event)}
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
        d={frameData([first.x, first.y, last.x, last.y])}
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

function Nodes({ editing, rings }: { editing: Props["editing"]; rings: Rings }) {
  const { grip, hold, insert } = editing;
  return (
    <g pointerEvents="all">
      <path
        d={dataOf(rings)}
        fill="none"
        stroke={MARIGOLD}
        strokeWidth="1.8"
        vectorEffect="non-scaling-stroke"
        pointerEvents="none"
      />
      {rings.map((ring, r) =>
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
                onDoubleClick={() => insert(r, n)}
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
                          onDown={(event) => hold({ ring: r, node: n, part }, event)}
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
                onDown={(event) => hold({ ring: r, node: n, part: "at" }, event)}
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
