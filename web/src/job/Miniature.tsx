import { chakra } from "@chakra-ui/react";
import { memo } from "react";
import type { Work } from "../api/client";
import type { Box } from "../engine/camera";
import { CutLines } from "../ui/CutLines";
import { Prints } from "../ui/Prints";
import type { StationKey } from "./stations";
import { artworkOf, isBehind, type Piece, type Ticket } from "./ticket";

const Svg = chakra("svg");
const MOST_COPIES_DRAWN = 240;
const SHEET_GAP = 12;

interface Props {
  station: StationKey;
  ticket: Ticket;
  work: Work;
  /** What is looked at; the first of the job unless said. */
  piece?: Piece | undefined;
  artwork?: string | undefined;
  width?: string;
  height?: string;
}

/** The work as it leaves a station, small; drawn again only when the work is another. */
export const Miniature = memo(function Miniature(props: Props) {
  const { station, ticket, work, width = "76px", height = "58px" } = props;
  const piece = props.piece ?? ticket.pieces[0];
  const artwork = props.artwork ?? piece?.elements.map(artworkOf).find(Boolean) ?? "";
  const [left, top, right, bottom] = boxOf(station, ticket, work, piece, artwork);
  const pad = 0.03 * Math.max(right - left, bottom - top);
  return (
    <Svg
      width={width}
      height={height}
      flex="none"
      aria-hidden="true"
      viewBox={`${left - pad} ${top - pad} ${right - left + 2 * pad} ${bottom - top + 2 * pad}`}
    >
      {station === "sheet" || station === "machine" ? (
        <SheetMiniature station={station} ticket={ticket} work={work} />
      ) : station === "lines" ? (
        <PieceMiniature piece={piece} ticket={ticket} work={work} />
      ) : (
        <ArtworkMiniature station={station} work={work} artwork={artwork} />
      )}
    </Svg>
  );
});

function boxOf(
  station: StationKey,
  ticket: Ticket,
  work: Work,
  piece: Piece | undefined,
  artwork: string,
): Box {
  if (station === "sheet" || station === "machine") {
    const laid = ticket.sheets.flatMap((sheet) => work.sheets[sheet.id] ?? []);
    const wide = laid.reduce((sum, one) => sum + one.width + SHEET_GAP, -SHEET_GAP);
    if (laid.length) return [0, 0, wide, Math.max(...laid.map((one) => one.height))];
  }
  const layer = work.layers[piece?.layers[0]?.id ?? ""];
  if (station === "lines" && layer) return layer.box;
  const shown = work.artworks[artwork];
  return [0, 0, shown?.width ?? 1, shown?.height ?? shown?.width ?? 1];
}

function ArtworkMiniature(props: { station: StationKey; work: Work; artwork: string }) {
  const artwork = props.work.artworks[props.artwork];
  if (!artwork) return null;
  const own = { width: artwork.width, height: artwork.height ?? artwork.width };
  if (props.station === "artwork") return artwork.original && <image href={artwork.original} {...own} />;
  if (props.station === "clean") return artwork.cleaned && <image href={artwork.cleaned} {...own} />;
  return artwork.shapes
    .filter((shape) => !shape.dropped)
    .map((shape) => (
      <path
        key={`${shape.x},${shape.y},${shape.d.length}`}
        d={shape.d}
        fill="none"
        stroke="#1E2A2E"
        strokeWidth="1.3"
        vectorEffect="non-scaling-stroke"
      />
    ));
}

function PieceMiniature({ piece, ticket, work }: Pick<Props, "piece" | "ticket" | "work">) {
  return piece?.layers.map((layer) => {
    const of = work.layers[layer.id];
    if (!of || isBehind(ticket, layer.id)) return null; // a second side would lie on the first
    return (
      <g key={layer.id}>
        <Prints prints={of.prints} />
        {layer.prints.kind === "nothing" && of.shown && (
          <path d={of.shown} fillRule="evenodd" fill={layer.name.startsWith("#") ? layer.name : "#9D9A88"} />
        )}
        {layer.prints.kind === "nothing" &&
          !of.shown &&
          of.shapes.map((shape) => (
            <path
              key={shape.d}
              d={shape.d}
              fill={shape.stroke === null ? shape.colour : "none"}
              stroke={shape.stroke === null ? "none" : shape.colour}
              strokeWidth={shape.stroke ?? 0}
              fillRule="evenodd"
            />
          ))}
        <CutLines lines={of.lines} width="1.2" />
      </g>
    );
  });
}

function SheetMiniature({ station, ticket, work }: Props) {
  let shift = 0;
  return (
    <>
      {ticket.sheets.map((sheet) => {
        const laid = work.sheets[sheet.id];
        if (!laid) return null;
        const at = shift;
        shift += laid.width + SHEET_GAP;
        return (
          <g key={sheet.id} transform={`translate(${at} 0)`}>
            <rect
              width={laid.width}
              height={laid.height}
              fill={station === "machine" ? "#fff" : laid.colour}
              stroke="#8d978f"
              vectorEffect="non-scaling-stroke"
            />
            {laid.placements.map(({ layer, matrices }) => (
              <Copies
                key={layer}
                id={`copy-${station}-${sheet.id}-${layer}`}
                layer={work.laid[layer] ?? work.layers[layer]}
                matrices={matrices}
                printed={station !== "machine"}
              />
            ))}
            <CutLines lines={laid.own} width="0.8" />
            {laid.marks.map(([x, y]) => (
              <circle
                key={`${x},${y}`}
                cx={x}
                cy={y}
                r={Math.max(laid.mark_diameter / 2, laid.width / 90)}
                fill="#1E2A2E"
              />
            ))}
          </g>
        );
      })}
    </>
  );
}

/** Copies of a layer on a sheet; very many as boxes. */
function Copies(props: {
  id: string;
  layer: Work["layers"][string] | undefined;
  matrices: readonly (readonly number[])[];
  printed: boolean;
}) {
  const { id, layer, matrices } = props;
  if (!layer) return null;
  if (matrices.length > MOST_COPIES_DRAWN) return <path d={boxes(layer.box, matrices)} fill="#c9a" />;
  const all = matrices.map((matrix) => ({ key: matrix.join(), transform: `matrix(${matrix.join(" ")})` }));
  return (
    <>
      <defs>
        <g id={id}>
          {props.printed && <Prints prints={layer.prints} />}
          <CutLines lines={layer.lines} width="0.8" />
          {layer.marks && <CutLines lines={[{ process: layer.marks_process, d: layer.marks }]} width="0.8" />}
        </g>
      </defs>
      {all.map(({ key, transform }) => (
        <use key={key} href={`#${id}`} transform={transform} />
      ))}
    </>
  );
}

/** The box of each copy, as one path. */
function boxes([left, top, right, bottom]: Box, matrices: readonly (readonly number[])[]): string {
  const corners = [
    [left, top],
    [right, top],
    [right, bottom],
    [left, bottom],
  ] as const;
  return matrices
    .map(([a = 1, b = 0, c = 0, d = 1, e = 0, f = 0]) => {
      const places = corners.map(
        ([x, y]) => `${(a * x + c * y + e).toFixed(1)} ${(b * x + d * y + f).toFixed(1)}`,
      );
      return `M${places.join("L")}Z`;
    })
    .join("");
}
