import { chakra } from "@chakra-ui/react";
import type { Work } from "../api/client";
import type { Box } from "../engine/camera";
import { CutLines } from "../ui/CutLines";
import type { StationKey } from "./stations";
import type { Ticket } from "./ticket";

const Svg = chakra("svg");
const MOST_COPIES_DRAWN = 240;

interface Props {
  station: StationKey;
  ticket: Ticket;
  work: Work;
  width?: string;
  height?: string;
}

/** The work as it leaves a station, small. */
export function Miniature({ station, ticket, work, width = "76px", height = "58px" }: Props) {
  const [left, top, right, bottom] = boxOf(station, ticket, work);
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
      ) : (
        <PieceMiniature station={station} ticket={ticket} work={work} />
      )}
    </Svg>
  );
}

function boxOf(station: StationKey, ticket: Ticket, work: Work): Box {
  const sheet = work.sheets[ticket.sheets[0]?.id ?? ""];
  if ((station === "sheet" || station === "machine") && sheet) return [0, 0, sheet.width, sheet.height];
  const layer = work.layers[ticket.sheets[0]?.layer ?? ""];
  if (station === "lines" && layer) return layer.box;
  const artwork = Object.values(work.artworks)[0];
  return [0, 0, artwork?.width ?? 1, artwork?.height ?? artwork?.width ?? 1];
}

function PieceMiniature({ station, ticket, work }: Props) {
  const layers = ticket.pieces.flatMap((piece) => piece.layers);
  return (
    <>
      {Object.entries(work.artworks).map(([id, artwork]) => {
        const own = { width: artwork.width, height: artwork.height ?? artwork.width };
        if (station === "artwork")
          return artwork.original && <image key={id} href={artwork.original} {...own} />;
        if (station === "trace")
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
        if (station === "clean" || layers.some((layer) => layer.prints !== "nothing"))
          return artwork.cleaned && <image key={id} href={artwork.cleaned} {...own} />;
        return artwork.shapes
          .filter((shape) => !shape.dropped)
          .map((shape) => (
            <path
              key={`${shape.x},${shape.y},${shape.d.length}`}
              d={shape.d}
              fill={shape.stroke === null ? shape.colour : "none"}
              stroke={shape.stroke === null ? "none" : shape.colour}
              strokeWidth={shape.stroke ?? 0}
              fillRule="evenodd"
            />
          ));
      })}
      {station === "lines" && (
        <CutLines lines={layers.flatMap((layer) => work.layers[layer.id]?.lines ?? [])} width="1.2" />
      )}
    </>
  );
}

function SheetMiniature({ station, ticket, work }: Props) {
  return (
    <>
      {ticket.sheets.map((sheet) => {
        const laid = work.sheets[sheet.id];
        const layer = work.layers[sheet.layer];
        if (!laid || !layer) return null;
        const [left, top, right, bottom] = layer.box;
        const lines = layer.lines;
        const artworks = station === "machine" ? [] : Object.values(work.artworks);
        return (
          <g key={sheet.id} transform={laid.mirrored ? `translate(${laid.width} 0) scale(-1 1)` : undefined}>
            <rect
              width={laid.width}
              height={laid.height}
              fill={station === "machine" ? "#fff" : laid.colour}
              stroke="#8d978f"
              vectorEffect="non-scaling-stroke"
            />
            <defs>
              <g id={`copy-${station}-${sheet.id}`}>
                {artworks.map((artwork) => (
                  <image
                    key={artwork.cleaned}
                    href={artwork.cleaned}
                    width={artwork.width}
                    height={artwork.height ?? artwork.width}
                  />
                ))}
                <CutLines lines={lines} width="0.8" />
              </g>
            </defs>
            {laid.places.length <= MOST_COPIES_DRAWN
              ? laid.places.map(([x, y]) => (
                  <use key={`${x},${y}`} href={`#copy-${station}-${sheet.id}`} x={x} y={y} />
                ))
              : laid.places.map(([x, y]) => (
                  <rect
                    key={`${x},${y}`}
                    x={x + left}
                    y={y + top}
                    width={right - left}
                    height={bottom - top}
                    fill="#c9a"
                  />
                ))}
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
