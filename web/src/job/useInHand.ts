import { useState } from "react";
import { useSearchParams } from "react-router";
import type { Work } from "../api/client";
import type { Place } from "../engine/camera";
import { type StationKey, stationOf } from "./stations";
import { artworkOf, heldLayer, type Ticket } from "./ticket";
import { CHOOSE, type Tool } from "./tools";
import type { Reach } from "./touchUps";
import type { JobDesk } from "./useJobDesk";

const USUAL_BRUSH = 4;
const [NARROWEST, WIDEST] = [0.2, 60];

/** What lies open over the table, in place of its picture. */
export type Over =
  | ""
  | "try-outs"
  | "pieces"
  | { readonly waysOf: string }
  | { readonly rehearsalOf: string };

/** What the operator has in hand on a job: the station, a piece, an artwork, an item of the ticket, a tool. */
export function useInHand(ticket: Ticket | undefined) {
  const [search, setSearch] = useSearchParams();
  const [tool, setTool] = useState<Tool>(CHOOSE);
  const [brush, setBrush] = useState(USUAL_BRUSH);
  const [reach, setReach] = useState<Reach>("only this");
  const [pieceId, setPieceId] = useState("");
  const [artworkId, setArtworkId] = useState("");
  const [held, setHeld] = useState("");
  const [place, setPlace] = useState<Place | null>(null);
  const [over, setOver] = useState<Over>("");

  const station = stationOf(search);
  const piece = ticket?.pieces.find((one) => one.id === pieceId) ?? ticket?.pieces[0];
  const ids = piece?.elements.map(artworkOf).filter(Boolean) ?? [];
  const artworks = [...new Set(ids)];
  const artwork = (artworks.includes(artworkId) ? artworkId : artworks[0]) ?? "";
  return {
    ...{ station, tool, setTool, brush, reach, setReach, held, setHeld, place, setPlace, over, setOver },
    ...{ piece, artworks, artwork, chooseArtwork: setArtworkId },
    layer: piece?.layers.find((one) => heldLayer(held) === one.id) ?? piece?.layers[0],
    setBrush: (width: number) => setBrush(Math.min(WIDEST, Math.max(NARROWEST, width))),
    choosePiece: (id: string) => {
      setPieceId(id);
      setHeld("");
    },
    /** To a station, with nothing in hand. */
    go: (next: StationKey) => {
      setTool(CHOOSE);
      setReach("only this");
      setOver("");
      setPlace(null);
      setSearch({ station: next }, { replace: true });
    },
  };
}

export type InHand = ReturnType<typeof useInHand>;

/** What the rooms of the job screen share. */
export interface OnJob {
  readonly jobId: number;
  readonly revision: number;
  readonly desk: JobDesk;
  readonly ticket: Ticket;
  readonly work: Work;
  readonly inHand: InHand;
}
