import { chakra } from "@chakra-ui/react";
import type { Change } from "../api/client";
import { Button } from "../ui/Button";
import { broughtOnto, copies, elsewhere, givenOwnSheet } from "./sheetChanges";
import type { Sheet, Ticket } from "./ticket";

interface Props {
  ticket: Ticket;
  sheet: Sheet;
  onChanges: (changes: Change[]) => void;
}

/** Under a sheet's sentence: what lies on other sheets brought onto it, what shares it given one of its own. */
export function SheetActions({ ticket, sheet, onChanges }: Props) {
  const others = elsewhere(ticket, sheet);
  const shared = sheet.holds.length > 1 ? sheet.holds : [];
  if (!others.length && !shared.length) return null;
  return (
    <chakra.div display="flex" flexWrap="wrap" gap="2px 10px" marginTop="4px">
      {others.map(({ layer, name }) => (
        <Button
          key={layer}
          type="button"
          look="quiet"
          onClick={() => onChanges(broughtOnto(ticket, sheet, layer))}
        >
          bring {name} onto this sheet
        </Button>
      ))}
      {shared.map(({ id, layer }) => (
        <Button key={id} type="button" look="quiet" onClick={() => onChanges(givenOwnSheet(sheet, layer))}>
          give {copies(ticket, layer)} a sheet of its own
        </Button>
      ))}
    </chakra.div>
  );
}
