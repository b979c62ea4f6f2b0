import { chakra } from "@chakra-ui/react";
import { useQuery } from "@tanstack/react-query";
import { useDeferredValue, useState } from "react";
import { api } from "../api/client";
import { Button } from "../ui/Button";
import type { Ticket } from "./ticket";
import type { JobDesk } from "./useJobDesk";

const MOST = 8;

/** A piece of another job, found by its name, brought onto a sheet. */
export function BringPiece({ desk, sheet }: { desk: JobDesk; sheet: string }) {
  const [open, setOpen] = useState(false);
  const [search, setSearch] = useState("");
  const sought = useDeferredValue(search);
  const own = desk.job?.id ?? 0;
  const { data } = useQuery({
    queryKey: ["jobs", "bring", sought],
    queryFn: () => api.jobs(sought, false, 0, "due"),
    enabled: open,
  });
  const found = (data?.cards ?? []).filter((card) => card.id !== own).slice(0, MOST);
  return (
    <>
      <Button type="button" look="quiet" aria-expanded={open} onClick={() => setOpen(!open)}>
        bring a piece of another job
      </Button>
      {open && (
        <chakra.div
          role="group"
          aria-label="A piece of another job"
          width="100%"
          padding="6px 0 8px"
          borderTop="1px solid {colors.hair.soft}"
        >
          <chakra.label fontSize="14px" color="ink.soft">
            Job or client{" "}
            <chakra.input
              type="search"
              value={search}
              onChange={(event) => setSearch(event.target.value)}
              height="28px"
              padding="0 8px"
              border="1px solid {colors.hair.strong}"
              borderRadius="slip"
              background="paper.white"
              color="ink"
            />
          </chakra.label>
          {found.map((card) => (
            <PiecesOf
              key={card.id}
              job={card.id}
              title={card.client ? `${card.name}, ${card.client}` : card.name}
              onBring={(piece) => {
                setOpen(false);
                desk.bring(sheet, card.id, piece);
              }}
            />
          ))}
          {data && found.length === 0 && <chakra.p fontSize="14px">No other job is called that.</chakra.p>}
        </chakra.div>
      )}
    </>
  );
}

function PiecesOf(props: { job: number; title: string; onBring: (piece: string) => void }) {
  const { data } = useQuery({ queryKey: ["job", props.job], queryFn: () => api.job(props.job) });
  const pieces = (data?.ticket as Ticket | undefined)?.pieces ?? [];
  return (
    <chakra.div marginTop="5px" fontSize="14px">
      <chakra.span color="ink.soft">{props.title}: </chakra.span>
      {pieces.map((piece) => (
        <Button
          key={piece.id}
          type="button"
          minHeight="26px"
          marginRight="5px"
          disabled={piece.layers.length === 0}
          onClick={() => props.onBring(piece.id)}
        >
          {piece.name}
        </Button>
      ))}
    </chakra.div>
  );
}
