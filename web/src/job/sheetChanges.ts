import type { Change } from "../api/client";
import { newId, type Sheet, type Ticket } from "./ticket";

/** A sheet of its own for a layer, like another one, laid in a grid, or ``behind`` a sheet. */
export function sheetFor(layer: string, like: Sheet, behind = ""): Change {
  const holds = [{ id: newId("h"), layer }];
  const value = { ...like, id: newId("s"), holds, arrangement: "a grid", placed: [], behind };
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

/** A second side for a sheet: behind each of its pieces a layer of its own, which prints and cuts nothing yet. */
export function secondSide(ticket: Ticket, sheet: Sheet): Change[] {
  const held = new Set(sheet.holds.map((one) => one.layer));
  const behind = ticket.pieces
    .filter((piece) => piece.layers.some((layer) => held.has(layer.id)))
    .map((piece) => ({ path: `pieces/${piece.id}/layers`, layer: newId("l") }));
  const holds = behind.map(({ layer }) => ({ id: newId("h"), layer }));
  const own = { arrangement: "a grid", placed: [], runs: 1, ...NOTHING_OF_ITS_OWN };
  return [
    ...behind.map(
      ({ path, layer }): Change => ({
        path,
        value: { id: layer, name: "second side", prints: "nothing" },
        operation: "add",
      }),
    ),
    {
      path: "sheets",
      value: { ...sheet, ...own, id: newId("s"), holds, behind: sheet.id },
      operation: "add",
    },
  ];
}

/** A second side taken away, with the layers that lie on it. */
export function withoutSecondSide(ticket: Ticket, sheet: Sheet): Change[] {
  const held = new Set(sheet.holds.map((one) => one.layer));
  const layers = ticket.pieces.flatMap((piece) =>
    piece.layers
      .filter((layer) => held.has(layer.id) && piece.layers.length > 1)
      .map((layer): Change => ({ path: `pieces/${piece.id}/layers/${layer.id}`, operation: "remove" })),
  );
  return [{ path: `sheets/${sheet.id}`, operation: "remove" }, ...layers];
}

/** What a first side alone has cut. */
const NOTHING_OF_ITS_OWN = {
  border: "no weed border",
  weed_lines: "no weed lines",
  cross_cut: "no cross-cut",
  caption: "nothing",
};

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
