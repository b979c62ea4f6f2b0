import { chakra } from "@chakra-ui/react";
import { Link } from "react-router";
import { inUnit } from "../engine/units";
import { Button } from "../ui/Button";
import { Mark } from "../ui/Mark";
import { sayDate } from "../ui/slots";
import { useUnit } from "../ui/unit";
import { type Ticket, wantedInAll } from "./ticket";
import type { JobDesk } from "./useJobDesk";

/** The job's name and client, what is wanted when, what was kept last, undo and redo. */
export function JobHeader({ desk, ticket, onKeys }: { desk: JobDesk; ticket: Ticket; onKeys: () => void }) {
  const revision = desk.job?.revision;
  const { unit } = useUnit();
  const undo = revision?.undo_words && `Undo: ${inUnit(revision.undo_words, unit)}`;
  const redo = revision?.redo_words && `Redo: ${inUnit(revision.redo_words, unit)}`;
  const quantity = wantedInAll(desk.job?.wanted ?? {});
  const time =
    revision && new Date(revision.time).toLocaleTimeString("en-GB", { hour: "2-digit", minute: "2-digit" });
  return (
    <chakra.header height="50px" flex="none" display="flex" alignItems="center" gap="14px" paddingX="18px">
      <chakra.span display="inline-flex" borderRadius="slip">
        <Link to="/" aria-label="Back to the board" title="Back to the board">
          <Mark />
        </Link>
      </chakra.span>
      <chakra.span
        fontFamily="condensed"
        fontWeight={600}
        fontSize="19px"
        whiteSpace="nowrap"
        overflow="hidden"
        textOverflow="ellipsis"
      >
        {ticket.name}
      </chakra.span>
      <chakra.span color="ink.soft" whiteSpace="nowrap" overflow="hidden" textOverflow="ellipsis">
        {ticket.client}
      </chakra.span>
      <chakra.span flex="1" />
      <chakra.span fontSize="14px" color="ink.soft" whiteSpace="nowrap">
        <chakra.b fontWeight={600} color="ink">
          {quantity}
        </chakra.b>{" "}
        wanted
        {ticket.due && (
          <chakra.b fontWeight={600} color="ink">
            {" "}
            {sayDate(ticket.due)}
          </chakra.b>
        )}
      </chakra.span>
      <chakra.span
        fontSize="14px"
        color="fine"
        whiteSpace="nowrap"
        role="status"
        data-revision={desk.keeping ? undefined : revision?.number}
        title={revision && `Change ${revision.number}: ${inUnit(revision.words, unit)}`}
      >
        {desk.keeping ? "Saving…" : `Saved ${time}`}
      </chakra.span>
      <Button
        type="button"
        disabled={!revision?.undo_words}
        onClick={() => desk.undo()}
        aria-label={undo || "Nothing to undo"}
        title={undo ? `${undo} (Ctrl Z)` : "Nothing to undo"}
      >
        ↶
      </Button>
      <Button
        type="button"
        disabled={!revision?.redo_words}
        onClick={() => desk.redo()}
        aria-label={redo || "Nothing to redo"}
        title={redo ? `${redo} (Ctrl Shift Z)` : "Nothing to redo"}
      >
        ↷
      </Button>
      <Button type="button" onClick={onKeys} aria-label="Keys" title="Keys (?)">
        ?
      </Button>
    </chakra.header>
  );
}
