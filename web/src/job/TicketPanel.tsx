import { chakra } from "@chakra-ui/react";
import { useQuery } from "@tanstack/react-query";
import { type ReactNode, useRef } from "react";
import { api, type Change, type Sentence, type Work } from "../api/client";
import type { Place } from "../engine/camera";
import { figureInUnit, formatSize, inUnit } from "../engine/units";
import { Button } from "../ui/Button";
import { SentenceView } from "../ui/SentenceView";
import { useUnit } from "../ui/unit";
import { useKeptFocus } from "../ui/useKeptFocus";
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
  const { unit } = useUnit();
  const rows = useRef<HTMLDivElement>(null);
  useKeptFocus(rows);
  const told = work.stations.find((one) => one.key === station);
  const name = STATIONS.find((one) => one.key === station)?.title ?? "";
  const layer = piece?.layers.find((one) => heldLayer(props.held) === one.id) ?? piece?.layers[0];
  const box = work.layers[layer?.id ?? ""]?.box;
  const here = sentences.filter(
    ({ station: at, about }) =>
      at === station &&
      (!about || at === "sheet" || at === "machine" || about === (at === "lines" ? piece?.id : artwork)),
  );
  const { data: remembered } = useQuery({
    queryKey: ["remembered", desk.job?.id, ticket.client],
    queryFn: () => api.remembered(desk.job?.id ?? 0),
    enabled: station === "lines" && ticket.client !== "",
  });
  const colours = [...new Set(work.layers[layer?.id ?? ""]?.shapes.map((shape) => shape.colour))];
  const change = (changes: Change[]) => desk.change(...changes);
  const beam = ticket.sheets.some(
    (one) => burns(one.machine) && one.holds.some((held) => held.layer === layer?.id),
  );
  const stock = inUnit(sheetOf(ticket.sheets, layer?.id)?.stock.name ?? "", unit);
  const size = (wide: number, high: number) => `${formatSize(wide, unit)} × ${formatSize(high, unit)}`;
  const ofPiece = box ? `${size(box[2] - box[0], box[3] - box[1])}, on ${stock}` : stock;
  const only = ticket.sheets.length === 1 ? work.sheets[ticket.sheets[0]?.id ?? ""] : undefined;
  const wall = ticket.sheets[0] && isTurned(ticket, ticket.sheets[0]);
  const turned = only && wall ? `the wall of a ${stock}, ${formatSize(only.width, unit)} round` : "";
  const onSheets = turned
    ? turned
    : only
      ? `${size(only.width, only.height)} of ${stock}`
      : `${ticket.sheets.length} sheets`;
  const ofOther = (where: string) =>
    ticket.pieces.some((one) => one.id !== piece?.id && where.startsWith(`pieces/${one.id}/`)) ||
    (station !== "lines" &&
      ticket.artworks.some((one) => one.id !== artwork && where.startsWith(`artworks/${one.id}/`)));
  const looked = station === "lines" ? piece?.id : artwork;
  const figures =
    told?.figures.filter(
      ({ about }) => !about || station === "sheet" || station === "machine" || about === looked,
    ) ?? [];
  const newest = (told?.notes ?? []).filter((note) => note.weight !== "accepted");
  const accepted = (told?.notes ?? []).filter((note) => note.weight === "accepted" && !ofOther(note.where));
  // a preview looks at less: what was noted before stays in its place, dimmed, until the final work is there
  const kept =
    (desk.settling ? desk.final : null)?.stations
      .find((one) => one.key === station)
      ?.notes.filter((note) => note.weight !== "accepted") ?? [];
  const known = new Set(newest.map(noteKey));
  const stale = new Set(kept.map(noteKey).filter((key) => !known.has(key)));
  const notes = [...newest, ...kept.filter((note) => stale.has(noteKey(note)))].filter(
    (note) => !ofOther(note.where),
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
          {station === "sheet" || station === "machine" ? onSheets : ofPiece}
        </chakra.p>
      </chakra.div>
      <chakra.div ref={rows} flex="1" minHeight="0" position="relative" overflowY="auto" overflowX="hidden">
        {here.map((sentence) => (
          <SentenceView
            key={sentence.id}
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
            {notes
              .filter((note) => sentence.owner !== "" && note.where === sentence.owner)
              .map((note) => (
                <NoteView
                  key={noteKey(note)}
                  note={note}
                  stale={stale.has(noteKey(note))}
                  onChanges={change}
                  onShow={props.onShow}
                />
              ))}
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
            {sentence.id.endsWith("-size") && desk.resized !== null && (
              <ScaleOffer desk={desk} by={desk.resized} />
            )}
            {station === "artwork" && sentence.id.endsWith("-size") && (
              <SizeBy desk={desk} artwork={sentence.id.slice(0, -"-size".length)} />
            )}
            {sentence.id.endsWith("-trace") && (
              <TraceScale
                id={sentence.id.slice(0, -"-trace".length)}
                desk={desk}
                ticket={ticket}
                work={work}
              />
            )}
          </SentenceView>
        ))}
        {(station === "sheet" || station === "lines") && <MovedOn desk={desk} />}
        {(station === "sheet" || station === "machine") && <Outdated desk={desk} station={station} />}
        {station === "lines" && piece && layer && desk.job && (
          <Adding
            desk={desk}
            jobId={desk.job.id}
            revision={desk.job.revision.number}
            piece={piece}
            layer={layer}
            colours={colours}
            remembered={remembered ?? []}
            onHold={props.onHold}
          />
        )}
        {notes
          .filter((note) => !here.some((sentence) => sentence.owner !== "" && sentence.owner === note.where))
          .map((note) => (
            <NoteView
              key={noteKey(note)}
              note={note}
              stale={stale.has(noteKey(note))}
              onChanges={change}
              {...(["clean", "trace", "lines"].includes(station) ? { onShow: props.onShow } : {})}
            />
          ))}
        <AcceptedNotes notes={accepted} onChanges={change} />
        {children}
      </chakra.div>
      {tools}
      {figures.length > 0 && (
        <chakra.div
          padding="10px 20px 12px"
          borderTop="1.5px solid {colors.ink}"
          maxHeight="38%"
          overflowY="auto"
          opacity={desk.settling ? 0.86 : 1}
          data-settling={desk.settling || undefined}
          role="group"
          aria-label="Figures"
          tabIndex={0}
        >
          {[...new Set(figures.map((one) => one.about))].map((about) => (
            <Figures
              key={about}
              of={work.sheets[about]?.name ?? ""}
              money={desk.job?.money ?? ""}
              figures={figures.filter((one) => one.about === about)}
            />
          ))}
        </chakra.div>
      )}
    </chakra.aside>
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

/** Values with their labels, under the name of the sheet they are of. */
function Figures({
  of,
  money,
  figures,
}: {
  of: string;
  money: string;
  figures: readonly { value: string; label: string }[];
}) {
  const { unit } = useUnit();
  return (
    <>
      {of && (
        <chakra.p fontFamily="condensed" fontSize="14.5px" color="ink.soft" marginTop="6px">
          {of}
        </chakra.p>
      )}
      <chakra.dl display="grid" gridTemplateColumns="1fr 1fr" gap="6px 18px">
        {figures
          .map((one) => figureInUnit(one.value, one.label, unit))
          .map(({ value, label }) => (
            <chakra.div key={label} display="flex" flexDirection="column-reverse" lineHeight="1.25">
              <chakra.dt fontSize="12.5px" color="ink.soft">
                {label}
              </chakra.dt>
              <chakra.dd fontFamily="condensed" fontWeight={600} fontSize="19px">
                {value.replace("¤", money).trim()}
              </chakra.dd>
            </chakra.div>
          ))}
      </chakra.dl>
    </>
  );
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
