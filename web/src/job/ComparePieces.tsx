import { chakra } from "@chakra-ui/react";
import type { Work } from "../api/client";
import { formatSize } from "../engine/units";
import { Overlay } from "../ui/Overlay";
import { useUnit } from "../ui/unit";
import { Miniature } from "./Miniature";
import type { Piece, Ticket } from "./ticket";

interface Props {
  ticket: Ticket;
  work: Work;
  onClose: () => void;
}

/** The pieces side by side with what each takes: material, length and minutes of cut, weakest neck. */
export function ComparePieces({ ticket, work, onClose }: Props) {
  const { unit } = useUnit();
  return (
    <Overlay label="Compare the pieces" title="Side by side" onClose={onClose}>
      <chakra.ul
        padding="0"
        listStyleType="none"
        display="grid"
        gap="10px"
        gridTemplateColumns="repeat(auto-fill, minmax(230px, 1fr))"
      >
        {ticket.pieces.map((piece) => (
          <chakra.li
            key={piece.id}
            data-compared={piece.id}
            background="paper"
            borderRadius="card"
            padding="12px 14px"
          >
            <Miniature
              station="lines"
              ticket={ticket}
              work={work}
              piece={piece}
              width="100%"
              height="170px"
            />
            <chakra.h3 fontFamily="condensed" fontWeight={600} fontSize="19px" marginTop="6px">
              {piece.name} ×{piece.quantity}
            </chakra.h3>
            <dl>
              {figures(piece, ticket, work, unit).map(([label, value]) => (
                <chakra.div
                  key={label}
                  display="flex"
                  gap="8px"
                  borderTop="1px solid {colors.hair.soft}"
                  paddingY="3px"
                >
                  <chakra.dt flex="1" color="ink.soft">
                    {label}
                  </chakra.dt>
                  <chakra.dd fontWeight={600}>{value}</chakra.dd>
                </chakra.div>
              ))}
            </dl>
          </chakra.li>
        ))}
      </chakra.ul>
    </Overlay>
  );
}

function figures(piece: Piece, ticket: Ticket, work: Work, unit: "mm" | "in"): [string, string][] {
  const layers = piece.layers.flatMap((layer) => work.layers[layer.id] ?? []);
  const own = new Set(piece.layers.map((layer) => layer.id));
  const laid = ticket.sheets
    .filter((sheet) => sheet.holds.some((held) => own.has(held.layer)))
    .flatMap((sheet) => work.sheets[sheet.id] ?? []);
  const area = laid.reduce((sum, one) => sum + one.width * one.height * one.times, 0) / 1e6;
  const processes = [...new Set(layers.flatMap((one) => one.lines.map((line) => line.process)))];
  const necks = layers.flatMap((one) => (one.looks?.neck ? [one.looks.neck[4]] : []));
  const minutes = layers.reduce<number | null>(
    (sum, one) => (sum === null || one.minutes === null ? null : sum + one.minutes),
    0,
  );
  const box = layers[0]?.box;
  return [
    ["size", box ? `${formatSize(box[2] - box[0], unit)} × ${formatSize(box[3] - box[1], unit)}` : "waits"],
    ["material", laid.length ? `${area.toFixed(3)} m²` : "does not fit"],
    ...processes.map((process): [string, string] => {
      const all = layers.flatMap((one) => one.lines).filter((line) => line.process === process);
      return [
        process,
        `${formatSize(
          all.reduce((sum, line) => sum + line.length, 0),
          unit,
        )} each`,
      ];
    }),
    ["cutting time", minutes === null ? "not known" : `${minutes.toFixed(1)} min for all of them`],
    ["weakest neck", necks.length ? formatSize(Math.min(...necks), unit) : "none"],
    ["nodes", String(layers.flatMap((one) => one.lines).reduce((sum, line) => sum + line.nodes, 0))],
  ];
}
