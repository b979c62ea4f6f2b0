import { chakra } from "@chakra-ui/react";
import { useQuery } from "@tanstack/react-query";
import { useEffect, useRef, useState } from "react";
import { api, type Change, type Remembered, type Sentence } from "../api/client";
import { Button } from "../ui/Button";
import { FileButton } from "../ui/FileButton";
import { FontChooser } from "./FontChooser";
import { addedElement, addedLine, moved } from "./pieceChanges";
import { coloursOf, type Layer, type Piece } from "./ticket";
import type { JobDesk } from "./useJobDesk";

interface OwnerProps {
  sentence: Sentence;
  piece: Piece | undefined;
  desk: JobDesk;
  /** Lay ways to engrave a line side by side; where a beam makes it. */
  onWays?: ((line: string) => void) | undefined;
}

/** What can be done with the item a sentence is about. */
export function OwnerActions({ sentence, piece, desk, onWays }: OwnerProps) {
  const owner = sentence.owner;
  const layer = piece?.layers.find((one) => owner.startsWith(`pieces/${piece.id}/layers/${one.id}/lines/`));
  const line = layer?.lines.find((one) => owner === `pieces/${piece?.id}/layers/${layer.id}/lines/${one.id}`);
  const element = piece?.elements.find((one) => owner === `pieces/${piece.id}/elements/${one.id}`);
  const set = (name: string, value: unknown): Change => ({
    path: `${owner}/${name}`,
    value,
    operation: "set",
  });
  if (piece && layer && line) {
    const up = moved(owner, layer.lines, line, -1);
    const down = moved(owner, layer.lines, line, 1);
    return (
      <Row>
        <Quiet onClick={() => desk.change(set("on", !sentence.on))}>
          {sentence.on ? "switch off" : "switch on"}
        </Quiet>
        {onWays && "fill" in line.process && (
          <Quiet onClick={() => onWays(owner)}>ways and their minutes</Quiet>
        )}
        <Quiet onClick={() => desk.take({ kind: "copy line", layer: layer.id, line: line.id })}>copy</Quiet>
        {"deepest" in line.process && !line.process.up_to && (
          <Quiet onClick={() => desk.take({ kind: "make plug", layer: layer.id, line: line.id })}>
            make its plug
          </Quiet>
        )}
        {up && <Quiet onClick={() => desk.change(up)}>up</Quiet>}
        {down && <Quiet onClick={() => desk.change(down)}>down</Quiet>}
        <Quiet onClick={() => desk.change({ path: owner, operation: "remove" })}>remove</Quiet>
      </Row>
    );
  }
  const ofLayer = piece?.layers.find((one) => owner === `pieces/${piece.id}/layers/${one.id}`);
  if (ofLayer)
    return (
      <Row>
        <Quiet onClick={() => desk.take({ kind: "remove layer", layer: ofLayer.id })}>remove</Quiet>
      </Row>
    );
  const up = piece && element && moved(owner, piece.elements, element, -1);
  const down = piece && element && moved(owner, piece.elements, element, 1);
  return (
    <Row>
      {up && <Quiet onClick={() => desk.change(up)}>up</Quiet>}
      {down && <Quiet onClick={() => desk.change(down)}>down</Quiet>}
      {element?.content.kind === "text" && (
        <FontChooser owner={owner} onChanges={(changes) => desk.change(...changes)} />
      )}
      {!(element && piece?.elements.length === 1) && (
        <Quiet onClick={() => desk.change({ path: owner, operation: "remove" })}>
          {element || ["lines", "machine"].includes(sentence.station) ? "remove" : "take back"}
        </Quiet>
      )}
    </Row>
  );
}

interface AddProps {
  desk: JobDesk;
  jobId: number;
  revision: number;
  piece: Piece;
  layer: Layer;
  /** Flat colours of the piece, lowest first. */
  colours: readonly string[];
  /** Inks of this client that earlier jobs drew lines along. */
  remembered: readonly Remembered[];
  /** The item with this path is the one in hand from now on. */
  onHold: (owner: string) => void;
}

/** What can be added to a piece: lines, elements, layers. */
export function Adding({ desk, jobId, revision, piece, layer, colours, remembered, onHold }: AddProps) {
  const [open, setOpen] = useState<"" | "line" | "element">("");
  const { data: additions } = useQuery({
    queryKey: ["additions", jobId, revision, layer.id],
    queryFn: () => api.additions(jobId, layer.id),
    enabled: open !== "",
  });
  const add = (change: Change) => {
    setOpen("");
    desk.change(change);
    const { id } = change.value as { id: string };
    onHold(`${change.path}/${id}`);
  };
  const addLayer = () =>
    desk.take({ kind: "add layer", piece: piece.id, colours: [...colours] }, (job) => {
      const made = job.ticket.pieces?.find((one) => one.id === piece.id)?.layers?.at(-1);
      if (made) onHold(`pieces/${piece.id}/layers/${made.id}`);
    });
  const used = new Set(
    piece.layers.flatMap((one) => one.lines.flatMap((line) => coloursOf(line).map((one) => one.named))),
  );
  const offered = remembered.filter((one) => !used.has(one.named));
  return (
    <chakra.div padding="8px 20px 10px 22px" borderTop="1px solid {colors.hair.soft}">
      <chakra.div display="flex" flexWrap="wrap" gap="2px 8px">
        <Adder open={open === "line"} onClick={() => setOpen(open === "line" ? "" : "line")}>
          + Add a line
        </Adder>
        <Adder open={open === "element"} onClick={() => setOpen(open === "element" ? "" : "element")}>
          + Add to the piece
        </Adder>
        <Adder onClick={addLayer}>+ Add a layer</Adder>
        {colours.length > 1 && piece.layers.length === 1 && (
          <Adder
            onClick={() => desk.take({ kind: "split by colour", piece: piece.id, colours: [...colours] })}
          >
            Split into layers by colour
          </Adder>
        )}
      </chakra.div>
      {open === "line" && (
        <Choices>
          {additions?.lines.map(({ words, line }) => (
            <Button key={words} type="button" onClick={() => add(addedLine(piece, layer, line))}>
              {words}
            </Button>
          ))}
        </Choices>
      )}
      {open === "element" && (
        <Choices>
          {additions?.elements.map(({ words, element }) => (
            <Button key={words} type="button" onClick={() => add(addedElement(piece, element))}>
              {words}
            </Button>
          ))}
          <FileButton
            label="Another file for the piece"
            onFiles={([file]) => {
              if (file) desk.addArtwork(piece.id, file);
              setOpen("");
            }}
          >
            Another file…
          </FileButton>
        </Choices>
      )}
      {offered.map((one) => (
        <chakra.p key={one.named} fontSize="14.5px" marginTop="6px">
          Last time this client’s “{one.named}” was: {one.line.on === false ? "only printed" : one.process}.{" "}
          <Button type="button" minHeight="26px" onClick={() => add(addedLine(piece, layer, one.line))}>
            The same again
          </Button>
        </chakra.p>
      ))}
    </chakra.div>
  );
}

function Adder({
  open,
  onClick,
  children,
}: {
  open?: boolean;
  onClick: () => void;
  children: React.ReactNode;
}) {
  return (
    <Button type="button" look="quiet" fontSize="15px" color="ink" aria-expanded={open} onClick={onClick}>
      {children}
    </Button>
  );
}

function Choices({ children }: { children: React.ReactNode }) {
  const own = useRef<HTMLDivElement>(null);
  // they open where the pointer is, which may be the foot of the panel
  useEffect(() => {
    own.current?.scrollIntoView({ block: "nearest" });
  }, []);
  return (
    <chakra.div
      ref={own}
      role="group"
      display="flex"
      flexWrap="wrap"
      gap="5px"
      marginTop="7px"
      scrollMarginBottom="90px"
    >
      {children}
    </chakra.div>
  );
}

function Row({ children }: { children: React.ReactNode }) {
  return (
    <chakra.span display="block" marginTop="2px" marginLeft="-4px">
      {children}
    </chakra.span>
  );
}

function Quiet({ onClick, children }: { onClick: () => void; children: React.ReactNode }) {
  return (
    <Button type="button" look="quiet" onClick={onClick}>
      {children}
    </Button>
  );
}
