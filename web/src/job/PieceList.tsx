import { chakra } from "@chakra-ui/react";
import type { Work } from "../api/client";
import { Miniature } from "./Miniature";
import type { Ticket } from "./ticket";

/** The job's pieces down the left edge: miniature, name, quantity. */
export function PieceList({ ticket, work }: { ticket: Ticket; work: Work }) {
  return (
    <chakra.section
      aria-label="Pieces"
      width="78px"
      flex="none"
      padding="10px 8px"
      background="paper.warm"
      borderRight="1px solid {colors.hair}"
      overflowY="auto"
    >
      {ticket.pieces.map((piece) => (
        <chakra.div
          key={piece.id}
          textAlign="center"
          padding="4px 0 5px"
          borderRadius="5px"
          background="paper.white"
          boxShadow="inset 0 0 0 2px {colors.marigold}"
          fontFamily="condensed"
          fontWeight={500}
          fontSize="13px"
          lineHeight="1.2"
        >
          <Miniature station="lines" ticket={ticket} work={work} width="52px" height="58px" />
          <div>
            {piece.name} <chakra.b fontSize="14px">×{piece.quantity}</chakra.b>
          </div>
        </chakra.div>
      ))}
    </chakra.section>
  );
}
