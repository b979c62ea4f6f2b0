import type { Sheet, Ticket } from "./ticket";

/** What lies on other sheets only, and could come onto this one: layer and what its copies are called. */
export function elsewhere(ticket: Ticket, sheet: Sheet): { layer: string; name: string }[] {
  const here = new Set(sheet.holds.map((held) => held.layer));
  const others = ticket.sheets.filter((one) => !one.behind); // second sides stay behind their first
  const laid = new Set(others.flatMap((one) => one.holds.map((held) => held.layer)));
  return [...laid]
    .filter((layer) => !here.has(layer))
    .map((layer) => ({ layer, name: copies(ticket, layer) }));
}

/** What the copies of a layer are called: their piece, and their layer where it has several. */
export function copies(ticket: Ticket, layer: string): string {
  const piece = ticket.pieces.find((one) => one.layers.some((own) => own.id === layer));
  const own = piece?.layers.find((one) => one.id === layer);
  return piece && piece.layers.length > 1 && own?.name ? `${piece.name}, ${own.name}` : (piece?.name ?? "");
}
