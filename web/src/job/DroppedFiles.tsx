import { chakra } from "@chakra-ui/react";
import { Button } from "../ui/Button";
import { Dialog } from "../ui/Dialog";

interface Props {
  files: readonly File[];
  /** The piece that they would join, in words. */
  piece: string;
  onHere: () => void;
  onPieces: () => void;
  onNew: () => void;
  onClose: () => void;
}

/** What becomes of files that were dropped on an open job. */
export function DroppedFiles({ files, piece, onHere, onPieces, onNew, onClose }: Props) {
  const called = files.length === 1 ? `“${files[0]?.name}”` : `${files.length} files`;
  return (
    <Dialog label="Dropped files" onClose={onClose}>
      <chakra.p fontSize="17px" marginBottom="14px" overflowWrap="anywhere">
        {called}: where {files.length === 1 ? "does it" : "do they"} belong?
      </chakra.p>
      <chakra.div display="flex" flexWrap="wrap" gap="8px">
        {piece && (
          <Button type="button" autoFocus onClick={onHere}>
            To the {piece}
          </Button>
        )}
        <Button type="button" onClick={onPieces}>
          {files.length === 1 ? "A piece of its own" : "Pieces of their own"}
        </Button>
        <Button type="button" onClick={onNew}>
          {files.length === 1 ? "A new job" : "Not into this job"}
        </Button>
        <Button type="button" look="quiet" onClick={onClose}>
          Leave it
        </Button>
      </chakra.div>
    </Dialog>
  );
}
