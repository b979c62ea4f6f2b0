import { chakra } from "@chakra-ui/react";
import type { Change, Mend, Station } from "../api/client";
import type { Place } from "../engine/camera";
import { Button } from "../ui/Button";
import { StateBadge } from "../ui/Mark";
import { useNotices } from "../ui/notices";

interface Props {
  note: Station["notes"][number];
  onChanges: (changes: Change[]) => void;
  onShow?: (place: Place) => void;
  /** What it is about is being worked out anew. */
  stale?: boolean;
}

/** Something to know or to mend, with the ways to mend it. */
export function NoteView({ note, onChanges, onShow, stale }: Props) {
  const { place } = note;
  const loud = note.weight !== "told";
  return (
    <chakra.div
      data-note={stale ? "stale" : note.weight}
      opacity={stale ? 0.5 : 1}
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
        <b>{note.text}</b> {note.what_to_do}
        {(note.mends.length > 0 || (place && onShow)) && (
          <chakra.div display="flex" flexWrap="wrap" gap="5px" marginTop="7px">
            {place && onShow && (
              <Button
                type="button"
                minHeight="26px"
                paddingX="8px"
                onClick={() => onShow({ x: place[0], y: place[1] })}
              >
                Show it
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
                {mend.label}
              </Button>
            ))}
          </chakra.div>
        )}
      </div>
    </chakra.div>
  );
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
