import { chakra } from "@chakra-ui/react";
import type { Work } from "../api/client";
import { Button } from "../ui/Button";
import { ArtworkChooser, ClientFiles, LineFiles, OutlineFiles } from "./ArtworkActions";
import { FilesPanel } from "./FilesPanel";
import type { OnJob } from "./useInHand";

/** What still needs a look, at any station. */
function doubtsOf(work: Work | null | undefined): string[] {
  const notes = work?.stations.flatMap((station) => station.notes) ?? [];
  return [...new Set(notes.filter((note) => note.weight === "look").map((note) => note.text))];
}

/** What a station offers beside its sentences: which artwork it speaks of, try-outs, files to take away. */
export function StationFoot({ jobId, revision, desk, ticket, work, inHand }: OnJob) {
  const { station, artworks, artwork, layer } = inHand;
  const own = ticket.artworks.find((one) => one.id === artwork);
  const toned = work.artworks[artwork]?.kind === "photo" || own?.clean.tones !== "none";
  const offersTryOuts =
    (station === "trace" && own?.trace.mode !== "paths") || (station === "clean" && toned);
  return (
    <>
      {artworks.length > 1 && ["artwork", "clean", "trace"].includes(station) && (
        <ArtworkChooser ticket={ticket} ids={artworks} current={artwork} onChoose={inHand.chooseArtwork} />
      )}
      {offersTryOuts && (
        <chakra.div padding="8px 20px 10px 26px" borderTop="1px solid {colors.hair.soft}">
          <Button type="button" onClick={() => inHand.setOver("try-outs")}>
            Lay try-outs side by side
          </Button>
        </chakra.div>
      )}
      {station === "machine" && (
        <FilesPanel
          jobId={jobId}
          revision={revision}
          blocked={desk.final?.stations.some((one) => one.state === "blocked") ?? false}
          doubts={doubtsOf(desk.final)}
          ticket={ticket}
          onChanges={(changes) => desk.change(...changes)}
          onRehearse={(sheet) => inHand.setOver({ rehearsalOf: sheet })}
          sheets={ticket.sheets.map((one) => ({
            id: one.id,
            name: work.sheets[one.id]?.name ?? "",
            sheet: one,
            minutes: work.sheets[one.id]?.minutes ?? null,
          }))}
        />
      )}
      {station === "trace" && <OutlineFiles jobId={jobId} ticket={ticket} />}
      {station === "lines" && layer && <LineFiles jobId={jobId} layer={layer} />}
      {station === "artwork" && (
        <ClientFiles {...{ jobId, ticket, work }} onReplace={desk.replace} onParts={desk.addParts} />
      )}
    </>
  );
}
