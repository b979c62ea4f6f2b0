import { chakra } from "@chakra-ui/react";
import { useEffect, useState } from "react";
import { useParams } from "react-router";
import { useStartJob, useTakesFiles } from "../board/useIncoming";
import { KeyList } from "../ui/KeyList";
import { STRIP } from "../ui/MovingMachines";
import { DroppedFiles } from "./DroppedFiles";
import { JobHeader } from "./JobHeader";
import { CannotOpen, Waiting } from "./JobStates";
import { PieceList } from "./PieceList";
import { Progress } from "./Progress";
import { StationFoot } from "./StationFoot";
import { TableArea } from "./TableArea";
import { TicketPanel } from "./TicketPanel";
import { ToolRow } from "./ToolRow";
import { Track } from "./Track";
import { canBeRehearsed, type Ticket } from "./ticket";
import { useCopies } from "./useCopies";
import { useInHand } from "./useInHand";
import { useJobDesk } from "./useJobDesk";
import { KEYS, useJobKeys } from "./useJobKeys";

/** Where a sheet is whole. */
const CUT_AT: readonly string[] = ["sheet", "machine"];

/** One job: track of stations, table and ticket. */
export function JobScreen() {
  const id = Number(useParams().id);
  const desk = useJobDesk(id);
  const ticket = desk.job?.ticket as Ticket | undefined;
  const inHand = useInHand(ticket);
  const copies = useCopies(ticket, desk.work, desk.keeping, (changes) => desk.change(...changes));
  const [keys, setKeys] = useState(false);
  const [dropped, setDropped] = useState<readonly File[]>([]);
  const { start } = useStartJob();
  useTakesFiles(setDropped);
  const rehearse = () => {
    const sheet = ticket?.sheets.find((one) => canBeRehearsed(ticket, one));
    if (sheet && CUT_AT.includes(inHand.station)) inHand.setOver({ rehearsalOf: sheet.id });
  };
  useJobKeys(desk, inHand.go, () => setKeys(true), rehearse);
  useEffect(() => {
    document.title = ticket ? `${ticket.name}, Nibble` : "Nibble";
  }, [ticket]);

  if (desk.failed && !desk.job) return <CannotOpen why={desk.failed} />;
  if (!desk.job || !ticket) return <Waiting />;
  const { station, piece, artwork, tool, brush, reach } = inHand;
  const { work } = desk;
  const shared = { jobId: id, revision: desk.job.revision.number, desk, ticket, inHand };
  return (
    <chakra.div
      height={`calc(100vh - var(${STRIP}, 0px))`}
      display="flex"
      flexDirection="column"
      minWidth="840px"
    >
      <JobHeader desk={desk} ticket={ticket} onKeys={() => setKeys(true)} />
      <Track
        piece={piece}
        artwork={artwork}
        ticket={ticket}
        work={desk.final}
        settling={desk.settling}
        current={station}
        onGo={inHand.go}
      />
      <chakra.main display="flex" flex="1" minHeight="0">
        {work ? (
          <>
            <PieceList
              {...{ desk, ticket, work }}
              current={piece?.id ?? ""}
              onChoose={inHand.choosePiece}
              onCompare={() => inHand.setOver("pieces")}
            />
            <TableArea {...shared} work={work} copies={copies} />
            <TicketPanel
              {...{ desk, station, ticket, work, piece, artwork }}
              sentences={desk.job.sentences}
              held={inHand.held}
              onHold={inHand.setHeld}
              onWays={(line) => inHand.setOver({ waysOf: line })}
              onRehearse={(sheet) => inHand.setOver({ rehearsalOf: sheet })}
              onShow={inHand.setPlace}
              hand={copies}
              tools={
                <ToolRow
                  {...{ station, tool, brush, reach }}
                  bedIsKnown={Object.values(work.sheets).some((one) => one.bed !== null)}
                  onTool={inHand.setTool}
                  onBrush={inHand.setBrush}
                  onReach={inHand.setReach}
                />
              }
            >
              <StationFoot {...shared} work={work} />
            </TicketPanel>
          </>
        ) : (
          <chakra.div position="relative" flex="1" display="flex">
            <Waiting />
            <Progress desk={desk} />
          </chakra.div>
        )}
      </chakra.main>
      {keys && <KeyList keys={KEYS} onClose={() => setKeys(false)} />}
      {dropped.length > 0 && (
        <DroppedFiles
          files={dropped}
          piece={piece?.name ?? ""}
          onHere={() => {
            for (const file of dropped) if (piece) desk.addArtwork(piece.id, file);
            setDropped([]);
          }}
          onPieces={() => {
            for (const file of dropped)
              desk.addPiece(file, (job) => inHand.choosePiece(job.ticket.pieces?.at(-1)?.id ?? ""));
            setDropped([]);
          }}
          onNew={() => {
            start(dropped);
            setDropped([]);
          }}
          onClose={() => setDropped([])}
        />
      )}
    </chakra.div>
  );
}
