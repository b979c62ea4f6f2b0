import type { Work } from "../api/client";
import type { StationKey } from "./stations";
import { artworkOf, type Piece, type Ticket } from "./ticket";

/** What the table is fitted to: it is fitted again when this changes, and stands still while lines are moved about. */
export function fitKey(
  station: StationKey,
  ticket: Ticket,
  work: Work,
  artwork: string,
  piece: Piece | undefined,
): string {
  if (station === "sheet" || station === "machine")
    return Object.values(work.sheets)
      .map((sheet) => `${sheet.width.toFixed(0)} ${sheet.height.toFixed(0)}`)
      .join();
  const seen = station === "lines" ? (piece?.elements.map(artworkOf) ?? []) : [artwork];
  const sizes = [...new Set(seen)].map((id) => {
    const { width = 0, height = 0 } = work.artworks[id] ?? {};
    const file = ticket.artworks.find((one) => one.id === id)?.file ?? "";
    return `${file} ${width.toFixed(1)} ${(height ?? 0).toFixed(1)}`;
  });
  const parts = station === "lines" ? (piece?.elements.length ?? 0) : 0;
  return [...sizes, parts].join();
}
