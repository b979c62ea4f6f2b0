import { chakra } from "@chakra-ui/react";
import type { Work } from "../api/client";
import { Button } from "../ui/Button";
import { Miniature } from "./Miniature";
import type { Ticket } from "./ticket";
import type { JobDesk } from "./useJobDesk";

interface Props {
  desk: JobDesk;
  ticket: Ticket;
  work: Work;
  current: string;
  onChoose: (piece: string) => void;
  onCompare: () => void;
}

/** The job's pieces down the left edge: miniature, name, quantity. */
export function PieceList({ desk, ticket, work, current, onChoose, onCompare }: Props) {
  const chosen = ticket.pieces.find((one) => one.id === current);
  const wanted = (piece: string) => {
    const count = desk.job?.wanted[piece];
    return count === null ? "full sheets" : `×${count}`;
  };
  const again = (piece: string) =>
    desk.take({ kind: "copy piece", piece }, (job) => onChoose(job.ticket.pieces?.at(-1)?.id ?? ""));
  return (
    <chakra.section
      aria-label="Pieces"
      width="78px"
      flex="none"
      padding="10px 8px"
      background="paper.warm"
      borderRight="1px solid {colors.hair}"
      position="relative"
      overflowY="auto"
      display="flex"
      flexDirection="column"
      gap="8px"
    >
      {ticket.pieces.map((piece) => (
        <chakra.button
          key={piece.id}
          type="button"
          data-piece={piece.id}
          aria-pressed={piece.id === current}
          onClick={() => onChoose(piece.id)}
          display="block"
          width="100%"
          border="none"
          cursor="pointer"
          textAlign="center"
          padding="4px 0 5px"
          borderRadius="5px"
          background={piece.id === current ? "paper.white" : "transparent"}
          boxShadow={piece.id === current ? "inset 0 0 0 2px {colors.marigold}" : undefined}
          fontFamily="condensed"
          fontWeight={500}
          fontSize="13px"
          lineHeight="1.2"
          color="ink"
        >
          <Miniature station="lines" ticket={ticket} work={work} piece={piece} width="52px" height="58px" />
          <div>
            {piece.name} <chakra.b fontSize="14px">{wanted(piece.id)}</chakra.b>
          </div>
        </chakra.button>
      ))}
      {chosen && (
        <Small
          onClick={() => again(chosen.id)}
          words="Again"
          title="One more piece of this artwork, to be made differently"
        />
      )}
      {ticket.pieces.length > 1 && (
        <Small onClick={onCompare} words="Compare" title="The pieces side by side, with their figures" />
      )}
      {chosen && ticket.pieces.length > 1 && (
        <Small
          onClick={() => {
            onChoose(ticket.pieces.find((one) => one.id !== current)?.id ?? "");
            desk.take({ kind: "remove piece", piece: chosen.id });
          }}
          words="Remove"
          title={`Take “${chosen.name}” and its sheets out of the job`}
        />
      )}
    </chakra.section>
  );
}

function Small({ words, title, onClick }: { words: string; title: string; onClick: () => void }) {
  return (
    <Button type="button" look="quiet" title={title} onClick={onClick} paddingX="2px" width="100%">
      {words}
    </Button>
  );
}
