import { chakra } from "@chakra-ui/react";
import { useState } from "react";
import type { Change, Mend, Station } from "../api/client";
import type { Place } from "../engine/camera";
import { inUnit } from "../engine/units";
import { Button } from "../ui/Button";
import { StateBadge } from "../ui/Mark";
import { useNotices } from "../ui/notices";
import { useUnit } from "../ui/unit";

interface Props {
  note: Station["notes"][number];
  onChanges: (changes: Change[]) => void;
  onShow?: (place: Place) => void;
  /** What it is about is being worked out anew. */
  stale?: boolean;
}

/** Something to know or to mend, with the ways to mend it. */
export function NoteView({ note, onChanges, onShow, stale }: Props) {
  const places = note.place ? [note.place, ...note.more_places] : [];
  const [shown, setShown] = useState(0);
  const { unit } = useUnit();
  const loud = note.weight === "look" || note.weight === "blocked";
  const show = () => {
    const place = places[shown % places.length];
    if (place) onShow?.({ x: place[0], y: place[1] });
    setShown((shown + 1) % places.length);
  };
  return (
    <chakra.div
      data-note={stale ? "stale" : note.weight}
      opacity={stale ? 0.86 : 1}
      aria-busy={stale || undefined}
      display="flex"
      gap="10px"
      alignItems="flex-start"
      margin="10px 20px"
      padding="10px 12px"
      background={loud ? "marigold.note" : "paper.warm"}
      borderRadius="5px"
      fontSize="14.5px"
      lineHeight="1.4"
    >
      {loud && <StateBadge state={note.weight} count={1} />}
      <div>
        {note.of && (
          <chakra.span display="block" fontFamily="condensed" fontSize="13.5px" color="ink.soft">
            {note.of}
          </chakra.span>
        )}
        <b>{inUnit(note.text, unit)}</b> {inUnit(note.what_to_do, unit)}
        {(note.mends.length > 0 || note.key || (places.length > 0 && onShow)) && (
          <chakra.div display="flex" flexWrap="wrap" gap="5px" marginTop="7px">
            {places.length > 0 && onShow && (
              <Button type="button" minHeight="26px" paddingX="8px" onClick={show}>
                {places.length > 1 ? `Show ${shown + 1} of ${places.length}` : "Show it"}
              </Button>
            )}
            {note.mends.map((mend) => (
              <Button
                key={mend.label}
                type="button"
                minHeight="26px"
                paddingX="8px"
                onClick={() => press(mend, onChanges)}
              >
                {inUnit(mend.label, unit)}
              </Button>
            ))}
            {note.key && note.weight === "look" && !stale && (
              <Button
                type="button"
                minHeight="26px"
                paddingX="8px"
                title="Written down with your name; it comes back when it changes."
                onClick={() => onChanges([accepting(note)])}
              >
                That is fine
              </Button>
            )}
          </chakra.div>
        )}
      </div>
    </chakra.div>
  );
}

/** Notes that somebody has found to be fine, folded away: by whom, when, and the way back. */
export function AcceptedNotes({
  notes,
  onChanges,
}: {
  notes: readonly Props["note"][];
  onChanges: Props["onChanges"];
}) {
  const { unit } = useUnit();
  if (!notes.length) return null;
  return (
    <chakra.details margin="10px 20px" fontSize="14.5px">
      <chakra.summary cursor="pointer" color="ink.soft" minHeight="26px">
        {notes.length === 1 ? "1 note accepted" : `${notes.length} notes accepted`}
      </chakra.summary>
      {notes.map((note) => (
        <chakra.div key={note.key} padding="7px 0" borderBottom="1px solid {colors.hair}" lineHeight="1.4">
          {note.of && <chakra.span color="ink.soft">{note.of}: </chakra.span>}
          {inUnit(note.text, unit)} <chakra.span color="ink.soft">{sentence(note.accepted)}</chakra.span>{" "}
          <Button
            type="button"
            minHeight="26px"
            paddingX="8px"
            onClick={() => onChanges([{ path: `accepted/${note.key}`, value: null, operation: "remove" }])}
          >
            Take it back
          </Button>
        </chakra.div>
      ))}
    </chakra.details>
  );
}

function sentence(words: string): string {
  return `${words.charAt(0).toUpperCase()}${words.slice(1)}.`;
}

function accepting({ key, text }: Props["note"]): Change {
  return { path: "accepted", value: { id: key, said: text.slice(0, 400) }, operation: "add" };
}

/** What tells one note from another: words alone may come twice. */
export function noteKey({ where, text, place }: Props["note"]): string {
  return `${where}|${text}|${place?.map((value) => value.toFixed(3)).join(",") ?? ""}`;
}

function press(mend: Mend, onChanges: (changes: Change[]) => void): void {
  if (!mend.copy_text) {
    onChanges(mend.changes);
    return;
  }
  const { say } = useNotices.getState();
  navigator.clipboard
    ?.writeText(mend.copy_text)
    .then(() => say("Copied.", `“${mend.copy_text}”`))
    .catch(() => say("Say to the client:", `“${mend.copy_text}”`));
}
