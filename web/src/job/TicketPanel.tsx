import { chakra } from "@chakra-ui/react";
import { useQuery } from "@tanstack/react-query";
import { type ReactNode, useRef } from "react";
import { api, type Sentence, type Station, type Work } from "../api/client";
import type { Place } from "../engine/camera";
import { formatSize, inUnit } from "../engine/units";
import { Button } from "../ui/Button";
import { SentenceView } from "../ui/SentenceView";
import { useUnit } from "../ui/unit";
import { useKeptFocus } from "../ui/useKeptFocus";
import { FiguresAt } from "./FiguresAt";
import { Adding, OwnerActions } from "./LineActions";
import { AcceptedNotes, NoteView, noteKey } from "./NoteView";
import { PaletteRow } from "./PaletteRow";
import { SheetActions } from "./SheetActions";
import { SizeBy } from "./SizeBy";
import { STATIONS, type StationKey } from "./stations";
import { ToneScale } from "./ToneScale";
import { burns, heldLayer, isTurned, type Piece, sheetOf, type Ticket } from "./ticket";
import type { Copies } from "./useCopies";
import type { JobDesk } from "./useJobDesk";

interface Props {
  desk: JobDesk;
  station: StationKey;
  ticket: Ticket;
  sentences: readonly Sentence[];
  work: Work;
  /** Ids of the piece and the artwork that are looked at. */
  piece: Piece | undefined;
  artwork: string;
  /** Path of the item that what is done on the table goes to. */
  held: string;
  onHold: (owner: string) => void;
  /** Lay ways to engrave a line side by side. */
  onWays: (line: string) => void;
  /** Rehearse a sheet. */
  onRehearse: (sheet: string) => void;
  onShow: (place: Place) => void;
  /** Copies of the sheets, at Sheet. */
  hand: Copies;
  /** What can be done by hand, between the sentences and the notes. */
  tools?: ReactNode;
  children?: ReactNode;
}

/** The ticket at the current station: its sentences with their slots, notes, figures. */
export function TicketPanel(props: Props) {
  const { desk, station, ticket, sentences, work, piece, artwork, tools, children } = props;
  const rows = useRef<HTMLDivElement>(null);
  useKeptFocus(rows);
  const name = STATIONS.find((one) => one.key === station)?.title ?? "";
  const layer = piece?.layers.find((one) => heldLayer(props.held) === one.id) ?? piece?.layers[0];
  const here = sentences.filter(
    ({ station: at, about }) =>
      at === station &&
      (!about || at === "sheet" || at === "machine" || about === (at === "lines" ? piece?.id : artwork)),
  );
  const ofOther = (where: string) =>
    ticket.pieces.some((one) => one.id !== piece?.id && where.startsWith(`pieces/${one.id}/`)) ||
    (station !== "lines" &&
      ticket.artworks.some((one) => one.id !== artwork && where.startsWith(`artworks/${one.id}/`)));
  const { notes, stale, accepted } = notesAt(station, desk, work, ofOther);
  const noteView = (note: Station["notes"][number], shows: boolean) => (
    <NoteView
      key={noteKey(note)}
      note={note}
      stale={stale.has(noteKey(note))}
      onChanges={(changes) => desk.change(...changes)}
      {...(shows ? { onShow: props.onShow } : {})}
    />
  );
  return (
    <chakra.aside
      aria-label="Ticket"
      width={{ base: "340px", xl: "394px" }}
      flex="none"
      display="flex"
      flexDirection="column"
      background="paper"
      borderLeft="1px solid {colors.hair}"
      minHeight="0"
    >
      <chakra.div padding="16px 20px 14px">
        <chakra.h1 fontFamily="condensed" fontWeight={700} fontSize="26px" lineHeight="1">
          {station === "lines" ? `Lines for the ${piece?.name ?? "piece"}` : name}
        </chakra.h1>
        <chakra.p color="ink.soft" marginTop="5px">
          <MadeOf {...{ station, ticket, work }} layer={layer?.id} />
        </chakra.p>
      </chakra.div>
      <chakra.div ref={rows} flex="1" minHeight="0" position="relative" overflowY="auto" overflowX="hidden">
        {here.map((sentence) => (
          <Row key={sentence.id} {...props} sentence={sentence} layer={layer?.id}>
            {notes
              .filter((note) => sentence.owner !== "" && note.where === sentence.owner)
              .map((note) => noteView(note, true))}
          </Row>
        ))}
        {(station === "sheet" || station === "lines") && <MovedOn desk={desk} />}
        {(station === "sheet" || station === "machine") && <Outdated desk={desk} station={station} />}
        {station === "lines" && piece && layer && (
          <AddingHere {...{ desk, ticket, work, piece, layer }} onHold={props.onHold} />
        )}
        {notes
          .filter((note) => !here.some((sentence) => sentence.owner !== "" && sentence.owner === note.where))
          .map((note) => noteView(note, ["clean", "trace", "lines"].includes(station)))}
        <AcceptedNotes notes={accepted} onChanges={(changes) => desk.change(...changes)} />
        {children}
      </chakra.div>
      {tools}
      <FiguresAt {...{ station, desk, work }} about={station === "lines" ? piece?.id : artwork} />
    </chakra.aside>
  );
}

/** A sentence of the ticket, with what can be done about it. layer: the one that is looked at. */
function Row(props: Props & { sentence: Sentence; layer: string | undefined }) {
  const { sentence, desk, station, ticket, work, piece, layer, children } = props;
  const { unit } = useUnit();
  const beam = ticket.sheets.some(
    ({ machine, holds }) => burns(machine) && holds.some((held) => held.layer === layer),
  );
  return (
    <SentenceView
      sentence={sentence}
      draft={desk.draft}
      suggested={work.suggested}
      unit={unit}
      onDraft={desk.onDraft}
      onTake={desk.onTake}
      onRestore={desk.onRestore}
      held={station === "lines" && sentence.owner !== "" && sentence.owner === props.held}
      onHold={() => sentence.owner && props.onHold(sentence.owner)}
    >
      {sentence.owner && (
        <OwnerActions
          sentence={sentence}
          piece={piece}
          desk={desk}
          onWays={beam ? props.onWays : undefined}
        />
      )}
      {children}
      {ticket.sheets
        .filter((one) => sentence.id === `${one.id}-lay`)
        .map((one) => (
          <SheetActions
            key={one.id}
            {...{ desk, ticket, hand: props.hand }}
            sheet={one}
            onRehearse={() => props.onRehearse(one.id)}
          />
        ))}
      {sentence.id.endsWith("-size") && desk.resized !== null && <ScaleOffer desk={desk} by={desk.resized} />}
      {station === "artwork" && sentence.id.endsWith("-size") && (
        <SizeBy desk={desk} artwork={sentence.id.slice(0, -"-size".length)} />
      )}
      {sentence.id.endsWith("-trace") && (
        <TraceScale id={sentence.id.slice(0, -"-trace".length)} {...{ desk, ticket, work }} />
      )}
    </SentenceView>
  );
}

/** Notes at a station, those that count and those that were accepted. A preview looks at less: what was noted before
 * stays in its place, dimmed (stale), until the final work is there. */
function notesAt(station: StationKey, desk: JobDesk, work: Work, ofOther: (where: string) => boolean) {
  const told = work.stations.find((one) => one.key === station)?.notes ?? [];
  const newest = told.filter((note) => note.weight !== "accepted");
  const kept =
    (desk.settling ? desk.final : null)?.stations
      .find((one) => one.key === station)
      ?.notes.filter((note) => note.weight !== "accepted") ?? [];
  const known = new Set(newest.map(noteKey));
  const stale = new Set(kept.map(noteKey).filter((key) => !known.has(key)));
  const notes = [...newest, ...kept.filter((note) => stale.has(noteKey(note)))];
  const accepted = told.filter((note) => note.weight === "accepted" && !ofOther(note.where));
  return { notes: notes.filter((note) => !ofOther(note.where)), stale, accepted };
}

/** The size of what is looked at, and what it is made of. */
function MadeOf(props: { station: StationKey; ticket: Ticket; work: Work; layer: string | undefined }) {
  const { station, ticket, work, layer } = props;
  const { unit } = useUnit();
  const stock = inUnit(sheetOf(ticket.sheets, layer)?.stock.name ?? "", unit);
  const size = (wide: number, high: number) => `${formatSize(wide, unit)} × ${formatSize(high, unit)}`;
  if (station !== "sheet" && station !== "machine") {
    const box = work.layers[layer ?? ""]?.box;
    return box ? `${size(box[2] - box[0], box[3] - box[1])}, on ${stock}` : stock;
  }
  const [first, ...others] = ticket.sheets;
  const shown = work.sheets[first?.id ?? ""];
  if (!first || others.length > 0 || !shown)
    return ticket.sheets.length === 1 ? "1 sheet" : `${ticket.sheets.length} sheets`;
  return isTurned(ticket, first)
    ? `the wall of a ${stock}, ${formatSize(shown.width, unit)} round`
    : `${size(shown.width, shown.height)} of ${stock}`;
}

/** What can be added to a layer, and what this client had before. */
function AddingHere(props: {
  desk: JobDesk;
  ticket: Ticket;
  work: Work;
  piece: Piece;
  layer: Piece["layers"][number];
  onHold: (owner: string) => void;
}) {
  const { desk, ticket, work, piece, layer } = props;
  const { data: remembered } = useQuery({
    queryKey: ["remembered", desk.job?.id, ticket.client],
    queryFn: () => api.remembered(desk.job?.id ?? 0),
    enabled: ticket.client !== "",
  });
  if (!desk.job) return null;
  return (
    <Adding
      desk={desk}
      jobId={desk.job.id}
      revision={desk.job.revision.number}
      piece={piece}
      layer={layer}
      colours={[...new Set(work.layers[layer.id]?.shapes.map((shape) => shape.colour))]}
      remembered={remembered ?? []}
      onHold={props.onHold}
    />
  );
}

/** Pieces brought from other jobs that have changed there since. */
function MovedOn({ desk }: { desk: JobDesk }) {
  return (desk.job?.moved_on ?? []).map(({ piece, called, of }) => (
    <chakra.div key={piece} data-note="told" margin="10px 20px" padding="10px 12px" background="paper.warm">
      <b>
        “{called}” has changed in “{of}” since it was brought here.
      </b>{" "}
      It stays as it was brought.
      <chakra.div marginTop="7px">
        <Button type="button" minHeight="26px" onClick={() => desk.bringAgain(piece)}>
          Bring it anew
        </Button>
      </chakra.div>
    </chakra.div>
  ));
}

/** Records that the shop has changed since this job copied them. */
function Outdated({ desk, station }: { desk: JobDesk; station: StationKey }) {
  const kind = station === "sheet" ? "stock" : "machine";
  const found = (desk.job?.outdated ?? []).filter(({ path }) => path.endsWith(`/${kind}`));
  return found.map(({ path, called, key }) => (
    <NoteView
      key={path}
      note={{
        text: `The shop’s record of “${called}” has changed since.`,
        what_to_do: "This job keeps what it copied.",
        where: path,
        weight: "told",
        of: "",
        place: null,
        more_places: [],
        key: "",
        accepted: "",
        mends: [
          {
            label: "Take the newer record",
            changes: [{ path, value: key, operation: "set" }],
            copy_text: "",
          },
        ],
      }}
      onChanges={(changes) => desk.change(...changes)}
    />
  ));
}

/** Under the size, after it was changed: distances stayed, and can be scaled too. */
function ScaleOffer({ desk, by }: { desk: JobDesk; by: number }) {
  return (
    <chakra.div marginTop="6px" fontSize="14.5px" color="ink.soft">
      Distances of the lines stayed as they are.{" "}
      <chakra.span display="inline-flex" gap="5px">
        <Button
          type="button"
          minHeight="26px"
          onClick={() => {
            desk.scaleDistances(by);
            desk.forgetResize();
          }}
        >
          Scale them to {Math.round(by * 100)} %
        </Button>
        <Button type="button" minHeight="26px" onClick={desk.forgetResize}>
          Leave them
        </Button>
      </chakra.span>
    </chakra.div>
  );
}

/** Under the tracing sentence: the tones with the threshold, or the flat colours found. */
function TraceScale(props: { id: string; desk: JobDesk; ticket: Ticket; work: Work }) {
  const { id, desk, ticket, work } = props;
  const mode = ticket.artworks.find((one) => one.id === id)?.trace.mode;
  const shown = work.artworks[id];
  const tones = shown?.tones.length ? shown.tones : desk.final?.artworks[id]?.tones;
  if (!shown) return null;
  if (mode === "colours" && shown.palette.length > 0)
    return (
      <PaletteRow artwork={id} palette={shown.palette} onChanges={(changes) => desk.change(...changes)} />
    );
  const path = `artworks/${id}/trace/threshold`;
  const draft = desk.draft[path];
  const level = typeof draft === "number" ? draft : shown.level;
  if (!["two-tone", "centre-lines", "panes"].includes(mode ?? "") || level === null || !tones?.length)
    return null;
  return <ToneScale tones={tones} level={level} path={path} onDraft={desk.onDraft} onTake={desk.onTake} />;
}
