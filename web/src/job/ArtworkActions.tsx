import { chakra } from "@chakra-ui/react";
import type { Work } from "../api/client";
import { frees } from "../theme/processes";
import { Button } from "../ui/Button";
import { FileButton } from "../ui/FileButton";
import type { Layer, Ticket } from "./ticket";

const FORMATS = [
  ["svg", "SVG"],
  ["pdf", "PDF"],
  ["dxf", "DXF"],
  ["dxf-polylines", "DXF of polylines"],
  ["dxf-r12", "DXF release 12"],
  ["json", "JSON"],
] as const;

/** The client's own file, untouched, and a better one in its place. */
export function ClientFiles(props: {
  jobId: number;
  ticket: Ticket;
  work: Work;
  onParts: (artwork: string) => void;
  onReplace: (artwork: string, file: File) => void;
}) {
  return (
    <chakra.div padding="12px 20px 12px 26px" borderTop="1px solid {colors.hair.soft}">
      {props.ticket.artworks.map((artwork) => (
        <chakra.p key={artwork.id} color="ink.soft">
          The client’s own file is kept untouched:{" "}
          <chakra.a
            href={`/api/jobs/${props.jobId}/artworks/${artwork.id}`}
            color="ink"
            textDecoration="underline"
            textUnderlineOffset="3px"
            overflowWrap="anywhere"
          >
            {artwork.name}
          </chakra.a>
          .{" "}
          <FileButton
            label="Artwork to put in its place"
            minHeight="26px"
            onFiles={([file]) => file && props.onReplace(artwork.id, file)}
          >
            Replace the artwork
          </FileButton>
          {(props.work.artworks[artwork.id]?.parts ?? 0) > 1 && (
            <>
              {" "}
              <Button type="button" minHeight="26px" onClick={() => props.onParts(artwork.id)}>
                A piece of each of its {props.work.artworks[artwork.id]?.parts} parts
              </Button>
            </>
          )}
        </chakra.p>
      ))}
    </chakra.div>
  );
}

/** Which of a piece's artworks the first three stations are about. */
export function ArtworkChooser(props: {
  ticket: Ticket;
  ids: readonly string[];
  current: string;
  onChoose: (artwork: string) => void;
}) {
  return (
    <chakra.div
      role="group"
      aria-label="Artworks of the piece"
      padding="10px 20px 12px 26px"
      borderTop="1px solid {colors.hair.soft}"
      display="flex"
      flexWrap="wrap"
      gap="5px"
    >
      {props.ticket.artworks
        .filter((one) => props.ids.includes(one.id))
        .map((one) => (
          <Button
            key={one.id}
            type="button"
            aria-pressed={one.id === props.current}
            onClick={() => props.onChoose(one.id)}
            background={one.id === props.current ? "ink" : "paper.white"}
            color={one.id === props.current ? "paper" : "ink"}
          >
            {one.name}
          </Button>
        ))}
    </chakra.div>
  );
}

/** The traced outlines as files of their own. */
export function OutlineFiles({ jobId, ticket }: { jobId: number; ticket: Ticket }) {
  return (
    <chakra.div padding="12px 20px 12px 26px" borderTop="1px solid {colors.hair.soft}" color="ink.soft">
      {ticket.artworks.map((artwork) => (
        <FileLinks
          key={artwork.id}
          words="The outlines at the finished size"
          href={(key) => `/api/jobs/${jobId}/artworks/${artwork.id}/outlines.${key}`}
        />
      ))}
    </chakra.div>
  );
}

/** The finished lines of a layer as files of their own; perforations as dashes, or plain. */
export function LineFiles({ jobId, layer }: { jobId: number; layer: Layer }) {
  const here = (ending: string) => `/api/jobs/${jobId}/layers/${layer.id}/lines.${ending}`;
  const perforated = layer.lines.some((line) => line.on && frees(line.process.kind, "the piece, by hand"));
  return (
    <chakra.div padding="12px 20px 12px 26px" borderTop="1px solid {colors.hair.soft}" color="ink.soft">
      <FileLinks words="The finished lines at true size" href={here} />
      {perforated && (
        <FileLinks
          words="With perforations as plain lines"
          href={(ending) => `${here(ending)}?perforation=plain`}
        />
      )}
    </chakra.div>
  );
}

function FileLinks({ words, href }: { words: string; href: (key: string) => string }) {
  return (
    <p>
      {words}:{" "}
      {FORMATS.map(([key, called], index) => (
        <span key={key}>
          {index > 0 && ", "}
          <chakra.a
            href={href(key)}
            download
            color="ink"
            textDecoration="underline"
            textUnderlineOffset="3px"
          >
            {called}
          </chakra.a>
        </span>
      ))}
    </p>
  );
}
