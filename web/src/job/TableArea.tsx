import { chakra } from "@chakra-ui/react";
import type { Change } from "../api/client";
import { ComparePieces } from "./ComparePieces";
import { EngravingWays } from "./EngravingWays";
import { Progress } from "./Progress";
import { Rehearsal } from "./Rehearsal";
import { TableView } from "./TableView";
import { TryOuts } from "./TryOuts";
import { alikeChange, type TracedShape, touchUpChange } from "./touchUps";
import type { Copies } from "./useCopies";
import type { OnJob } from "./useInHand";

/** The table, and what is laid over it: progress, try-outs, ways of engraving, a rehearsal, pieces side
 * by side. */
export function TableArea({
  jobId,
  revision,
  desk,
  ticket,
  work,
  inHand,
  copies,
}: OnJob & { copies: Copies }) {
  const { over, setOver, artwork, reach } = inHand;
  const close = () => setOver("");
  const take = (changes: Change[]) => {
    close();
    desk.change(...changes);
  };
  const dropOrKeep = (id: string, shape: TracedShape) => {
    const touchUps = ticket.artworks.find((one) => one.id === id)?.touch_ups ?? [];
    desk.change(reach === "only this" ? touchUpChange(id, shape, touchUps) : alikeChange(id, shape, reach));
  };
  return (
    <chakra.div position="relative" flex="1" minWidth="0" display="flex">
      <TableView
        {...{ jobId, revision, ticket, work, artwork }}
        station={inHand.station}
        tool={inHand.tool}
        brush={inHand.brush}
        piece={inHand.piece}
        held={inHand.held}
        place={inHand.place}
        hand={copies}
        before={desk.before}
        settling={desk.settling}
        onTool={inHand.setTool}
        onBrush={inHand.setBrush}
        onChanges={(changes) => desk.change(...changes)}
        onStep={desk.take}
        onClick={desk.click}
        onTry={desk.tryOn}
        onRegion={dropOrKeep}
      />
      <Progress desk={desk} />
      {over === "pieces" && <ComparePieces ticket={ticket} work={work} onClose={close} />}
      {typeof over === "object" && "rehearsalOf" in over && (
        <Rehearsal
          key={`${over.rehearsalOf} ${revision}`}
          {...{ jobId, revision }}
          sheet={over.rehearsalOf}
          name={work.sheets[over.rehearsalOf]?.name ?? ""}
          progress={desk.rehearsing}
          onTake={(changes) => desk.change(...changes)}
          onClose={close}
        />
      )}
      {typeof over === "object" && "waysOf" in over && (
        <EngravingWays jobId={jobId} revision={revision} line={over.waysOf} onTake={take} onClose={close} />
      )}
      {over === "try-outs" && artwork && (
        <TryOuts jobId={jobId} revision={revision} artwork={artwork} onTake={take} onClose={close} />
      )}
    </chakra.div>
  );
}
