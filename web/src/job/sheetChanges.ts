import type { Change } from "../api/client";
import { newId, type Sheet, type Ticket } from "./ticket";

/** A sheet of its own for a layer, like another one, laid in a grid. */
export function sheetFor(layer: string, like: Sheet): Change {
  const holds = [{ id: newId("h"), layer }];
  const value = { ...like, id: newId("s"), holds, arrangement: "a grid", placed: [] };
  return { path: "sheets", value, operation: "add" };
}

/** One more sheet like another, for copies that are wanted again or were spoilt. */
export function moreOfTheSame(sheet: Sheet): Change {
  const holds = sheet.holds.map(({ layer }) => ({ id: newId("h"), layer }));
  const own = {
    arrangement: "a grid",
    amount: "as many as wanted",
    placed: [],
    runs: 1,
    spares: 0,
    own_quantity: 1,
  };
  return { path: "sheets", value: { ...sheet, ...own, id: newId("s"), holds }, operation: "add" };
}

/** A sheet without some layers; one that holds nothing else goes altogether. */
export function withoutLayers(sheet: Sheet, layers: ReadonlySet<string>): Change[] {
  const gone = sheet.holds.filter((held) => layers.has(held.layer));
  if (gone.length === sheet.holds.length) return [{ path: `sheets/${sheet.id}`, operation: "remove" }];
  return [
    ...sheet.placed
      .filter((one) => layers.has(one.layer))
      .map((one): Change => ({ path: `sheets/${sheet.id}/placed/${one.id}`, operation: "remove" })),
    ...gone.map((held): Change => ({ path: `sheets/${sheet.id}/holds/${held.id}`, operation: "remove" })),
  ];
}

/** What lies on other sheets only, and could come onto this one: layer and what its copies are called. */
export function elsewhere(ticket: Ticket, sheet: Sheet): { layer: string; name: string }[] {
  const here = new Set(sheet.holds.map((held) => held.layer));
  const laid = new Set(ticket.sheets.flatMap((one) => one.holds.map((held) => held.layer)));
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

/** A layer brought onto a sheet, from every other one it lies on. */
export function broughtOnto(ticket: Ticket, sheet: Sheet, layer: string): Change[] {
  return [
    { path: `sheets/${sheet.id}/holds`, value: { id: newId("h"), layer }, operation: "add" },
    ...ticket.sheets
      .filter((one) => one.id !== sheet.id && one.holds.some((held) => held.layer === layer))
      .flatMap((one) => withoutLayers(one, new Set([layer]))),
  ];
}

/** A layer of a shared sheet laid on a sheet of its own, like that one. */
export function givenOwnSheet(sheet: Sheet, layer: string): Change[] {
  return [sheetFor(layer, sheet), ...withoutLayers(sheet, new Set([layer]))];
}
