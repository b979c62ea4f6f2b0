import { chakra } from "@chakra-ui/react";
import type { ReactNode } from "react";
import type { Change, Sentence, Work } from "../api/client";
import { formatSize } from "../engine/units";
import { Button } from "../ui/Button";
import { SentenceView } from "../ui/SentenceView";
import { useUnit } from "../ui/unit";
import { NoteView } from "./NoteView";
import { PaletteRow } from "./PaletteRow";
import { STATIONS, type StationKey } from "./stations";
import { ToneScale } from "./ToneScale";
import { newId, type Ticket } from "./ticket";
import type { JobDesk } from "./useJobDesk";

interface Props {
  desk: JobDesk;
  station: StationKey;
  ticket: Ticket;
  sentences: readonly Sentence[];
  work: Work;
  /** What can be done by hand, between the sentences and the notes. */
  tools?: ReactNode;
  children?: ReactNode;
}

/** The ticket at the current station: its sentences with their slots, notes, figures. */
export function TicketPanel({ desk, station, ticket, sentences, work, tools, children }: Props) {
  const { unit } = useUnit();
  const told = work.stations.find((one) => one.key === station);
  const name = STATIONS.find((one) => one.key === station)?.title ?? "";
  const layer = ticket.pieces[0]?.layers[0];
  const box = work.layers[layer?.id ?? ""]?.box;
  const here = sentences.filter((sentence) => sentence.station === station);
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
          {station === "lines" ? `Lines for the ${ticket.pieces[0]?.name ?? "piece"}` : name}
        </chakra.h1>
        <chakra.p color="ink.soft" marginTop="5px">
          {box
            ? `${formatSize(box[2] - box[0], unit)} × ${formatSize(box[3] - box[1], unit)}, on ${ticket.sheets[0]?.stock.name}`
            : ticket.sheets[0]?.stock.name}
        </chakra.p>
      </chakra.div>
      <chakra.div flex="1" minHeight="0" overflowY="auto" overflowX="hidden">
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
          >
            {sentence.owner && <OwnerActions sentence={sentence} change={desk.change} />}
            {told?.notes
              .filter((note) => sentence.owner !== "" && note.where === sentence.owner)
              .map((note) => (
                <NoteView key={note.text} note={note} onChanges={(changes) => desk.change(...changes)} />
              ))}
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
        {tools}
        {station === "lines" && layer && (
          <chakra.div padding="8px 20px" borderTop="1px solid {colors.hair.soft}">
            <Button
              type="button"
              look="quiet"
              fontSize="15px"
              color="ink"
              onClick={() => desk.change(addedLine(ticket))}
            >
              + Add a line
            </Button>
          </chakra.div>
        )}
        {told?.notes
          .filter((note) => !here.some((sentence) => sentence.owner !== "" && sentence.owner === note.where))
          .map((note) => (
            <NoteView key={note.text} note={note} onChanges={(changes) => desk.change(...changes)} />
          ))}
        {children}
      </chakra.div>
      {told && told.figures.length > 0 && (
        <chakra.dl
          display="grid"
          gridTemplateColumns="1fr 1fr"
          gap="6px 18px"
          padding="10px 20px 12px"
          borderTop="1.5px solid {colors.ink}"
          opacity={desk.settling ? 0.5 : 1}
          data-settling={desk.settling || undefined}
        >
          {told.figures.map(([value, label]) => (
            <chakra.div key={label} display="flex" flexDirection="column-reverse" lineHeight="1.25">
              <chakra.dt fontSize="12.5px" color="ink.soft">
                {label}
              </chakra.dt>
              <chakra.dd fontFamily="condensed" fontWeight={600} fontSize="19px">
                {value}
              </chakra.dd>
            </chakra.div>
          ))}
        </chakra.dl>
      )}
    </chakra.aside>
  );
}

function OwnerActions({ sentence, change }: { sentence: Sentence; change: (...changes: Change[]) => void }) {
  const isLine = sentence.station === "lines";
  return (
    <chakra.span display="block" marginTop="2px" marginLeft="-4px">
      {isLine && (
        <Button
          type="button"
          look="quiet"
          onClick={() => change({ path: `${sentence.owner}/on`, value: !sentence.on, operation: "set" })}
        >
          {sentence.on ? "switch off" : "switch on"}
        </Button>
      )}
      <Button
        type="button"
        look="quiet"
        onClick={() => change({ path: sentence.owner, operation: "remove" })}
      >
        {isLine ? "remove" : "take back"}
      </Button>
    </chakra.span>
  );
}

function addedLine(ticket: Ticket): Change {
  const piece = ticket.pieces[0];
  const layer = piece?.layers[0];
  const cuts = layer?.lines.some((line) => line.process === "through cut");
  const value = cuts
    ? { id: newId("k"), process: "kiss cut", distance: 1 }
    : { id: newId("k"), process: "through cut", distance: 3 };
  return { path: `pieces/${piece?.id}/layers/${layer?.id}/lines`, value, operation: "add" };
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
  if ((mode !== "two-tone" && mode !== "centre-lines") || level === null || !tones?.length) return null;
  return <ToneScale tones={tones} level={level} path={path} onDraft={desk.onDraft} onTake={desk.onTake} />;
}
